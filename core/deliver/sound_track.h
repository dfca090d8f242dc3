#pragma once

#include "core/deliver/movie_writer.h"
#include "core/media/decoder.h"

#include <functional>

namespace ulm {

/// Carries a file's sound into a movie being written: packets untouched where MP4 can hold them, else as AAC.
class SoundFeeder {
public:
    /// Adds a stream to `output` for every sound stream that goes along.
    SoundFeeder(const SoundSource& source, AVFormatContext& output);
    ~SoundFeeder();

    using OnPacket = std::function<void(AVPacket&)>;
    /// Hands over packets (stream index and times of `output`) up to `seconds` of the movie's clock.
    void feedUntil(double seconds, const OnPacket& onPacket);
    void finish(const OnPacket& onPacket);

private:
    struct Track;
    bool readOne(const OnPacket& onPacket);

    SoundSource source_;
    av::Input input_;
    std::vector<std::unique_ptr<Track>> tracks_;
    double reached_ = -1e9;
    bool ended_ = false;
};

} // namespace ulm
