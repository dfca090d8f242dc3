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

/// Renders three short runs of frames spread over the movie and encodes each at the given qualities; then corrects for
/// what short runs cannot see (cuts, uneven motion, the encoder's look ahead) by following a mosaic of four small tiles
/// through the whole movie, or through six parts of a long one: a ratio estimate (Cochran, Sampling Techniques, 1977,
/// ch. 6). How near it comes is in docs/bench.md. Throws Cancelled.
Forecast forecastSize(Engine&, const Pipeline&, const std::vector<double>& crfs, const CancelToken&);

/// The encoding settings common to forecast and export.
VideoEncoding encodingFor(const Pipeline&);

/// Rows of a delivered frame that are computed at a time: all, up to about 4K; bands of larger ones, whose pictures
/// in floats would fill the memory. Even.
int bandRows(const PictureFormat&);

/// A delivered frame as the encoder takes it; untouched pictures are passed on without conversion.
av::Frame deliveredPicture(Engine&, const Pipeline&, const DeliveredFrame&, const CancelToken&);

} // namespace ulm
