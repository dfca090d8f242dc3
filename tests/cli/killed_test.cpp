// The command line killed at any instant: no source touched, nothing half under a final name, and what it leaves is
// cleared away by the next.
#include "core/base/files.h"
#include "core/media/clip.h"
#include "tests/cli/fixture.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <chrono>
#include <csignal>
#include <filesystem>
#include <random>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ulm;
using test::TempFolder;
using test::withSound;
namespace fs = std::filesystem;

namespace {

pid_t started(const std::vector<std::string>& arguments, const std::string& temporary) {
    const pid_t pid = ::fork();
    if (pid) return pid;
    ::setenv("TMPDIR", temporary.c_str(), 1);
    ::freopen("/dev/null", "w", stdout);
    ::freopen("/dev/null", "w", stderr);
    std::vector<char*> words = {const_cast<char*>("ulmwood-cli")};
    for (const std::string& a : arguments) words.push_back(const_cast<char*>(a.c_str()));
    words.push_back(nullptr);
    ::execv(ULMWOOD_CLI, words.data());
    ::_exit(127);
}

/** Not ended yet; one that has stays to be waited for. */
bool running(pid_t pid) {
    siginfo_t told{};
    return ::waitid(P_PID, id_t(pid), &told, WEXITED | WNOHANG | WNOWAIT) == 0 && told.si_pid == 0;
}

std::size_t litter(const std::string& folder) {
    std::size_t n = 0;
    std::error_code gone; // a folder may vanish while it is looked through
    for (auto e = fs::recursive_directory_iterator(folder); e != fs::recursive_directory_iterator(); e.increment(gone))
        n += e->path().filename().string().find("ulmwood-") != std::string::npos;
    return n;
}

} // namespace

TEST_CASE("killed at twenty instants of a batch, it loses nothing and leaves nothing for good") {
    TempFolder folder;
    fs::create_directory(folder / "ready");
    fs::create_directory(folder / "tmp");
    std::vector<std::string> render = {"render"};
    std::map<std::string, std::string> sources;
    for (const std::string name : {"a", "b", "c"}) {
        test::writeClip(folder / (name + ".mp4"), withSound(40));
        render.push_back(folder / (name + ".mp4"));
        sources[name] = readTextFile(render.back());
    }
    // Under a limit, so that statistics of a first pass and several attempts lie about, too.
    for (const char* word : {"-o", "ready", "--replace", "--set", "deliver.size_mb=0.03", "--report", "report.json"})
        render.push_back(std::string(word) == "ready"         ? folder / "ready"
                         : std::string(word) == "report.json" ? folder / "report.json"
                                                              : word);
    using Clock = std::chrono::steady_clock;
    auto start = Clock::now();
    const auto seconds = [&] { return std::chrono::duration<double>(Clock::now() - start).count(); };
    int status = 0;
    ::waitpid(started(render, folder / "tmp"), &status, 0);
    REQUIRE(WEXITSTATUS(status) == 0);
    double whole = seconds();
    std::mt19937 random(9);
    int killed = 0, littered = 0;
    for (int round = 0; killed < 20 && round < 200; ++round) {
        start = Clock::now();
        const pid_t pid = started(render, folder / "tmp");
        const double instant = whole * double(random() % 1000) / 1000;
        // Every other time at the next instant, from an early one on, at which there is something to leave: where the
        // machine is slow at this moment, all others may come before it.
        const bool leaving = round % 2;
        std::this_thread::sleep_for(std::chrono::duration<double>(leaving ? instant / 2 : instant));
        while (leaving && litter(folder.path()) == 0 && running(pid)) std::this_thread::yield();
        // Ended before its instant: the machine was slower while the whole was timed than it is now.
        if (!running(pid)) whole = std::min(whole, seconds());
        ::kill(pid, SIGKILL);
        ::waitpid(pid, &status, 0);
        killed += WIFSIGNALED(status);
        littered += litter(folder.path()) > 0;
        for (const std::string name : {"a", "b", "c"}) {
            CHECK(readTextFile(folder / (name + ".mp4")) == sources[name]);
            CHECK(Clip::openVideo(folder / ("ready/" + name + ".mp4"))->frameCount() == 40); // the old or the new
        }
        CHECK(nlohmann::json::parse(readTextFile(folder / "report.json")).size() == 3);
    }
    CHECK(killed == 20);
    CHECK(littered > 0); // else the next would have had nothing to clear away
    ::waitpid(started(render, folder / "tmp"), &status, 0);
    CHECK(WEXITSTATUS(status) == 0);
    CHECK(litter(folder.path()) == 0);
}
