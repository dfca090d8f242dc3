#include "cli/commands.h"
#include "core/media/clip.h"
#include "core/media/clip_files.h"
#include "core/media/facts_json.h"
#include "core/media/facts_words.h"

#include <iostream>
#include <sstream>

namespace ulm::cli {
namespace {

std::string shortly(double v, int decimals = 2) {
    std::ostringstream s;
    s.precision(decimals);
    s << std::fixed << v;
    std::string t = s.str();
    while (t.ends_with('0')) t.pop_back();
    if (t.ends_with('.')) t.pop_back();
    return t;
}

void print(const MediaFacts& f, std::ostream& out) {
    out << f.file << "\n  " << f.container << ", " << shortly(f.duration) << " s, " << shortly(double(f.bytes) / 1e6)
        << " MB\n";
    if (f.hasVideo) {
        const VideoFacts& v = f.video;
        out << "  pictures: " << v.codec << ", " << v.width << "×" << v.height << ", " << shortly(v.fps, 3)
            << " frames a second" << (v.variableRate ? " (variable)" : "") << ", " << v.frames
            << (v.frames == 1 ? " frame, " : " frames, ") << v.bitDepth << " bit, " << v.pixelFormat << ", "
            << v.bitrate / 1000 << " kb/s" << (v.rotation ? ", turned by " + std::to_string(v.rotation) + "°" : "")
            << (v.mirrored ? ", mirrored" : "") << (v.interlaced ? ", interlaced" : "")
            << (v.alpha ? ", with transparency" : "") << "\n"
            << "  colour: " << colourWords(v) << "\n";
    }
    for (const auto& a : f.audio)
        out << "  sound: " << a.codec << ", " << a.rate << " Hz, " << channelWords(a.channels)
            << (a.changes ? ", changes on the way" : "") << "\n";
    for (const auto& s : f.subtitles)
        out << "  subtitles: " << s.codec << (s.language.empty() ? "" : ", " + s.language) << "\n";
}

} // namespace

void addProbe(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("probe", "What a file is: size, rate, duration, codec, colour, sound");
    c->footer("Example:\n  ulmwood-cli probe clip.mp4 --json");
    auto files = std::make_shared<std::vector<std::string>>();
    auto json = std::make_shared<bool>(false);
    c->add_option("FILE", *files, "Media files, and folders of clips")->required();
    c->add_flag("--json", *json, "One JSON object; of several files an array");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            nlohmann::json all = nlohmann::json::array();
            const int worst = forEachFile(withFoldersOpened(*files), s, [&](const std::string& f) {
                const ClipPtr clip = Clip::open(f, s.cancel);
                if (*json)
                    all.push_back(toJson(clip->facts()));
                else
                    print(clip->facts(), s.out);
            });
            if (*json) printJson(all, s);
            return worst;
        };
    });
}

} // namespace ulm::cli
