#pragma once

#include "core/media/facts.h"

namespace ulm {

/// "BT.709", "BT.2020, HDR (PQ)", "BT.601, not told by the file"; full range is said, the usual one is not.
std::string colourWords(const VideoFacts&);
/// A codec, as libav* calls it, as people write it: "H.264", "AAC", "PCM".
std::string codecWords(const std::string& codec);
/// "stereo", "mono", "5.1", "6 channels".
std::string channelWords(int channels);
/// What a file of this libav* format is usually called: "mp4", "mov", "mkv". `brand`: MP4's major brand, or empty.
std::string containerName(const std::string& format, const std::string& brand, const std::string& path);

} // namespace ulm
