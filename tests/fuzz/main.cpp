// ulmwood-fuzz [SEED [COUNT]]: damages media, tickets, cards, networks, tables and pictures in COUNT ways, from SEED
// on, and lets the commands read them. Each case is told by its own seed before it runs, so that one that ends the
// program can be run again alone: ulmwood-fuzz SEED 1. Ends with 1 where a command takes longer than its bound, uses
// more memory than its bound, answers with a code that no contract knows, or with an error that says nothing.
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/model/shipped_networks.h"
#include "core/ticket/ticket.h"
#include "tests/support/clips.h"
#include "tests/support/mutate.h"

#include <chrono>
#include <csignal>
#include <fstream>
#include <iostream>
#include <set>
#include <sstream>
#include <sys/resource.h>
#include <unistd.h>

using namespace ulm;

namespace {

constexpr int kMostSeconds = 60;                   // for one command, sanitizers on, a busy machine
constexpr std::int64_t kMostKilobytes = 3'000'000; // resident, sanitizers on

struct Original {
    std::string ending, bytes;
    std::vector<std::string> (*commands)(const std::string& file, const std::string& clip, int which);
};

std::vector<std::string> onMedia(const std::string& f, const std::string&, int which) {
    switch (which % 4) {
    case 0: return {"probe", f, "--json"};
    case 1: return {"inspect", f};
    case 2: return {"frame", f, "--at", "0.1", "-o", f + ".png", "--replace"};
    default: return {"render", f, "-o", f + ".out.mp4", "--replace", "--set", "sound.mode=aac"};
    }
}
std::vector<std::string> onTicket(const std::string& f, const std::string& clip, int) {
    return {"frame", clip, "--at", "0.1", "-o", f + ".png", "--replace", "--ticket", f};
}
std::vector<std::string> onCard(const std::string& f, const std::string& clip, int which) {
    if (which % 2) return {"check", clip, "--target", f};
    return {"frame", clip, "--at", "0.1", "-o", f + ".png", "--replace", "--target", f};
}
std::vector<std::string> onTable(const std::string& f, const std::string& clip, int) {
    return {"frame", clip, "--at", "0.1", "-o", f + ".png", "--replace", "--set", "finish.table=" + f};
}
std::vector<std::string> onPicture(const std::string& f, const std::string& clip, int which) {
    if (which % 2) return {"look", clip, "-o", f + ".cube", "--replace", "--like", f};
    return {"frame", clip, "--at", "0.1", "-o", f + ".png", "--replace", "--set", "finish.mark.file=" + f};
}
std::vector<std::string> onNetwork(const std::string& f, const std::string& clip, int) {
    return {"frame",
            clip,
            "--at",
            "0.1",
            "-o",
            f + ".png",
            "--replace",
            "--set",
            "enlarge.scale=2",
            "--set",
            "enlarge.method=" + f};
}

std::string made(const test::TempFolder& folder, const std::string& name, const test::ClipRecipe& r) {
    test::writeClip(folder / name, r);
    return readTextFile(folder / name);
}

std::vector<Original> originals(const test::TempFolder& folder) {
    test::ClipRecipe r;
    r.frames = 12;
    r.sound = true;
    std::vector<Original> all;
    all.push_back({".mp4", made(folder, "a.mp4", r), onMedia});
    all.push_back({".mkv", made(folder, "a.mkv", r), onMedia});
    all.push_back({".ts", made(folder, "a.ts", r), onMedia});
    r.encoder = "mpeg4", r.bFrames = 0, r.soundCodec = "pcm_s16le";
    all.push_back({".avi", made(folder, "a.avi", r), onMedia});
    r.encoder = "prores", r.format = AV_PIX_FMT_YUV422P10LE;
    all.push_back({".mov", made(folder, "a.mov", r), onMedia});
    Ticket t;
    for (const char* set : {"clean.noise=nudge:+3", "enlarge.scale=2", "frame.aspect=9:16", "finish.sharpen.amount=1",
                            "deliver.size_mb=2", "frame.x@tall=0.2"})
        setByAssignment(t, set);
    all.push_back({".ticket.json", toJson(t).dump(1), onTicket});
    all.push_back({".json", R"({"name":"card","title":"A card","size":"108x192","aspects":["9:16"],"max_fps":30,
        "max_seconds":60,"max_mb":2.5,"codecs":["h264"],"containers":["mp4"],"starts_at_once":true})",
                   onCard});
    const std::string table = folder / "a.cube", still = folder / "a.png";
    for (const auto& command : std::vector<std::vector<std::string>>{
             {"look", folder / "a.mp4", "-o", table, "--set", "finish.colour.warmth=20"},
             {"frame", folder / "a.mp4", "--at", "0", "-o", still}}) {
        std::ostringstream out, err;
        cli::Surroundings s{out, err, {}, false};
        if (cli::run(command, s) != 0) throw std::runtime_error(err.str());
    }
    all.push_back({".cube", readTextFile(table), onTable});
    all.push_back({".cube", "LUT_1D_SIZE 3\n0 0 0\n0.4 0.5 0.6\n1 1 1\n", onTable});
    all.push_back({".png", readTextFile(still), onPicture});
    for (const char* name : {"general-x2-quick"})
        if (const auto path = std::string(ULMWOOD_SOURCE "/models/") + name + ".onnx"; std::ifstream(path))
            all.push_back({".onnx", readTextFile(path), onNetwork});
    return all;
}

std::uint32_t running = 0;
void tooLong(int) {
    const std::string text = "\nseed " + std::to_string(running) + " takes too long\n";
    [[maybe_unused]] const auto told = ::write(2, text.data(), text.size());
    ::_exit(1);
}

} // namespace

int main(int argc, char** argv) {
    const auto first = static_cast<std::uint32_t>(argc > 1 ? std::stoul(argv[1]) : 1);
    const int count = argc > 2 ? std::stoi(argv[2]) : 2000;
    std::signal(SIGALRM, tooLong);
    test::TempFolder folder;
    const auto all = originals(folder);
    const std::string clip = folder / "a.mp4";
    std::map<int, int> codes;
    for (running = first; running < first + static_cast<std::uint32_t>(count); ++running) {
        std::mt19937 random(running);
        const Original& o = all[random() % all.size()];
        const std::string file = folder / ("bad" + o.ending);
        std::ofstream(file, std::ios::binary) << test::mutated(o.bytes, random);
        const auto command = o.commands(file, clip, static_cast<int>(random() % 64));
        if (::isatty(STDOUT_FILENO))
            std::cout << "\rseed " << running << "  " << command.front() << "  " << o.ending << "     " << std::flush;
        std::ostringstream out, err;
        cli::Surroundings s{out, err, {}, false};
        ::alarm(kMostSeconds);
        const int code = cli::run(command, s);
        ::alarm(0);
        ++codes[code];
        rusage used{};
        getrusage(RUSAGE_SELF, &used);
        static const std::set<int> kContract = {0, 2, 3, 4, 5};
        const bool silent = code != 0 && err.str().size() + out.str().size() < 12,
                   unforeseen = err.str().find("should not") != std::string::npos;
        if (!kContract.contains(code) || silent || unforeseen || used.ru_maxrss > kMostKilobytes) {
            std::cerr << "\nseed " << running << ": exit " << code << ", " << used.ru_maxrss / 1024
                      << " MB: " << err.str() << "\n";
            return 1;
        }
    }
    rusage used{};
    getrusage(RUSAGE_SELF, &used);
    std::cout << "\n" << count << " files; ";
    for (const auto& [code, n] : codes) std::cout << n << " times exit " << code << ", ";
    std::cout << used.ru_maxrss / 1024 << " MB at most\n";
    return 0;
}
