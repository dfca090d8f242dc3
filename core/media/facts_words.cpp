#include "core/media/facts_words.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <filesystem>
#include <map>

namespace ulm {

std::string colourWords(const VideoFacts& v) {
    const auto name = [&]() -> std::string {
        switch (v.colour.matrix) { // ITU-T H.273, table 4
        case 0: return "RGB";
        case 1: return "BT.709";
        case 4: return "FCC";
        case 5:
        case 6: return "BT.601";
        case 7: return "SMPTE 240M";
        case 8: return "YCgCo";
        case 9:
        case 10: return "BT.2020";
        default: return "matrix " + std::to_string(v.colour.matrix);
        }
    };
    std::string words = name();
    if (v.colour.transfer == 16) words += ", HDR (PQ)";
    if (v.colour.transfer == 18) words += ", HDR (HLG)";
    if (v.mastering.screen) words += ", graded for " + std::to_string(std::lround(v.mastering.brightest)) + " cd/m²";
    if (v.colour.fullRange && v.colour.matrix != 0) words += ", full range";
    if (v.colourAssumed) words += ", not told by the file";
    return words;
}

std::string codecWords(const std::string& codec) {
    static const std::map<std::string, std::string> names = {
        {"h264", "H.264"},    {"hevc", "H.265"}, {"mpeg4", "MPEG-4"},  {"mpeg2video", "MPEG-2"},
        {"prores", "ProRes"}, {"opus", "Opus"},  {"vorbis", "Vorbis"}, {"mjpeg", "M-JPEG"}};
    if (const auto it = names.find(codec); it != names.end()) return it->second;
    if (codec.starts_with("pcm_")) return "PCM";
    std::string large = codec;
    std::ranges::transform(large, large.begin(), [](unsigned char c) { return char(std::toupper(c)); });
    return large;
}

std::string channelWords(int channels) {
    switch (channels) {
    case 1: return "mono";
    case 2: return "stereo";
    case 6: return "5.1";
    case 8: return "7.1";
    default: return std::to_string(channels) + " channels";
    }
}

std::string containerName(const std::string& format, const std::string& brand, const std::string& path) {
    const std::string ending = std::filesystem::path(path).extension().string();
    if (format.starts_with("mov,")) return brand.starts_with("qt") ? "mov" : brand.starts_with("3g") ? "3gp" : "mp4";
    if (format.starts_with("matroska")) return ending == ".webm" || ending == ".WEBM" ? "webm" : "mkv";
    if (format == "mpegts") return "ts";
    if (format == "mpeg") return "mpg";
    if (format == "asf") return "wmv";
    return format.substr(0, format.find(','));
}

} // namespace ulm
