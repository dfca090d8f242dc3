#include "cli/commands.h"
#include "core/base/aside.h"
#include "core/model/arithmetic.h"

#include <csignal>
#include <iostream>
#include <malloc.h>
#include <unistd.h>

namespace {
ulm::CancelToken stopped;
void onSignal(int) { stopped.cancel(); }
} // namespace

int main(int argc, char** argv) {
    std::signal(SIGINT, onSignal);
    std::signal(SIGTERM, onSignal);
    std::signal(SIGPIPE, SIG_IGN);
    std::signal(SIGXFSZ, SIG_IGN); // a file size limit is told as an error, not by a signal
    mallopt(M_ARENA_MAX, 2);       // frames are large: many arenas only scatter them
    ulm::keepArithmetic(ulm::arithmeticFile());
    ulm::cli::Surroundings here{std::cout, std::cerr, stopped, ::isatty(STDERR_FILENO) != 0};
    const int code = ulm::cli::run({argv + 1, argv + argc}, here);
    std::cout.flush();
    return ulm::leave(code);
}
