#include "cli/commands.h"
#include "core/media/clip.h"
#include "core/media/facts_json.h"

#include <iostream>

namespace ulm::cli {
namespace {

void print(const MediaFacts& f, std::ostream& out) {
    out << f.file << "\n  " << f.container << ", " << f.duration << " s, " << f.bytes << " bytes\n";
    if (f.hasVideo) {
        const VideoFacts& v = f.video;
        out << "  pictures: " << v.codec << ", " << v.width << "×" << v.height << ", " << v.fps << " frames a second"
            << (v.variableRate ? " (variable)" : "") << ", " << v.frames << " frames, " << v.bitDepth << " bit, "
            << v.pixelFormat << ", " << v.bitrate / 1000 << " kb/s" << (v.rotation ? ", turned" : "")
            << (v.interlaced ? ", interlaced" : "") << "\n";
    }
    for (const auto& a : f.audio)
        out << "  sound: " << a.codec << ", " << a.rate << " Hz, " << a.channels << " channels\n";
    for (const auto& s : f.subtitles)
        out << "  subtitles: " << s.codec << (s.language.empty() ? "" : ", " + s.language) << "\n";
}

} // namespace

void addProbe(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("probe", "What a file is: size, rate, duration, codec, colour, sound");
    c->footer("Example:\n  ulmwood-cli probe clip.mp4 --json");
    auto files = std::make_shared<std::vector<std::string>>();
    auto json = std::make_shared<bool>(false);
    c->add_option("FILE", *files, "Media files")->required();
    c->add_flag("--json", *json, "One JSON object a file");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            for (const auto& f : *files) {
                const ClipPtr clip = Clip::open(f, s.cancel);
                if (*json)
                    s.out << toJson(clip->facts()).dump(2, ' ', false, nlohmann::json::error_handler_t::replace)
                          << "\n";
                else
                    print(clip->facts(), s.out);
            }
            return 0;
        };
    });
}

} // namespace ulm::cli
