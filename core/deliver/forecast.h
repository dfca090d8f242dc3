#pragma once

#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/pipeline/pipeline.h"

namespace ulm {

/// The lowest quality Ulmwood delivers under a size limit: x264 constant rate factor 33.
inline constexpr double kFloorCrf = 33;

/// Expected picture bytes as a function of quality, from short encodes of samples.
struct Forecast {
    struct Point {
        double crf, bytes;
    };
    std::vector<Point> points; ///< ascending crf; bytes of all picture packets
    /// Log-linear between points and beyond them.
    double bytesAt(double crf) const;
};

/// Renders `windows` short runs of frames spread over the movie and encodes each at the given qualities.
/// Within about 8 % of a real encode for clips of several seconds (docs/bench.md). Throws Cancelled.
Forecast forecastSize(Engine&, const Pipeline&, const std::vector<double>& crfs, int windows, const CancelToken&);

/// The encoding settings common to forecast and export.
VideoEncoding encodingFor(const Pipeline&);

/// A delivered frame as the encoder takes it; untouched pictures are passed on without conversion.
av::Frame deliveredPicture(Engine&, const Pipeline&, const DeliveredFrame&, const CancelToken&);

} // namespace ulm
