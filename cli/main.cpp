#include "cli/commands.h"
#include "core/base/aside.h"
#include "core/model/arithmetic.h"
#include "core/picture/opencv_memory.h"

#include <csignal>
#include <ext/stdio_filebuf.h>
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
    std::signal(SIGXFSZ, SIG_IGN);      // a file size limit is told as an error, not by a signal
    mallopt(M_ARENA_MAX, 2);            // frames are large: many arenas only scatter them
    mallopt(M_MMAP_THRESHOLD, 2 << 20); // what the pool lets go goes back at once, and leaves no gaps
    ulm::recycleMatrices();
    ulm::keepArithmetic(ulm::arithmeticFile());
    // Drivers of graphics processors print what they like, where answers belong: they get the other stream.
    __gnu_cxx::stdio_filebuf<char> answers(::dup(STDOUT_FILENO), std::ios::out);
    ::dup2(STDERR_FILENO, STDOUT_FILENO);
    std::ostream out(&answers);
    ulm::cli::Surroundings here{out, std::cerr, stopped, ::isatty(STDERR_FILENO) != 0};
    const int code = ulm::cli::run({argv + 1, argv + argc}, here);
    out.flush();
    return ulm::leave(code);
}
