#include "core/media/facts_json.h"

#include "core/media/av.h"

namespace ulm {
namespace {

std::string known(const char* name) { return name ? name : "unknown"; }

// Lights in cd/m², colours as x and y of CIE 1931; null where nothing is told.
nlohmann::json masteringJson(const HdrData& d) {
    if (!d.any()) return nullptr;
    nlohmann::json j = {{"max_light", d.mostLight}, {"mean_light", d.meanLight}};
    if (!d.screen) return j;
    const auto point = [](const HdrData::Point& p) { return nlohmann::json::array({p.x, p.y}); };
    j["screen"] = {{"red", point(d.primaries[0])}, {"green", point(d.primaries[1])}, {"blue", point(d.primaries[2])},
                   {"white", point(d.white)},      {"darkest", d.darkest},           {"brightest", d.brightest}};
    return j;
}

} // namespace

nlohmann::json toJson(const MediaFacts& f) {
    using nlohmann::json;
    json j = {{"file", f.file},   {"container", f.container}, {"duration_s", f.duration},  {"bytes", f.bytes},
              {"video", nullptr}, {"audio", json::array()},   {"subtitles", json::array()}};
    if (f.hasVideo) {
        const VideoFacts& v = f.video;
        j["video"] = {
            {"codec", v.codec},
            {"width", v.width},
            {"height", v.height},
            {"fps", v.fps},
            {"frames", v.frames},
            {"bit_depth", v.bitDepth},
            {"pixel_format", v.pixelFormat},
            {"rotation", v.rotation},
            {"sar", std::to_string(v.sarNum) + ":" + std::to_string(v.sarDen)},
            {"mirrored", v.mirrored},
            {"alpha", v.alpha},
            {"interlaced", v.interlaced},
            {"variable_rate", v.variableRate},
            {"primaries", known(av_color_primaries_name(static_cast<AVColorPrimaries>(v.colour.primaries)))},
            {"transfer", known(av_color_transfer_name(static_cast<AVColorTransferCharacteristic>(v.colour.transfer)))},
            {"matrix", known(av_color_space_name(static_cast<AVColorSpace>(v.colour.matrix)))},
            {"colour_assumed", v.colourAssumed},
            {"hdr", v.hdr()},
            {"mastering", masteringJson(v.mastering)},
            {"range", v.colour.fullRange ? "full" : "limited"},
            {"bitrate", v.bitrate}};
    }
    for (const auto& a : f.audio)
        j["audio"].push_back({{"codec", a.codec}, {"rate", a.rate}, {"channels", a.channels}});
    for (const auto& s : f.subtitles) j["subtitles"].push_back({{"codec", s.codec}, {"language", s.language}});
    return j;
}

} // namespace ulm
