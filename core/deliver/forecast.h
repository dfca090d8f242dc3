#pragma once

#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"

#include <functional>

namespace ulm {

/// Expected picture bytes as a function of quality, from short encodes of samples.
struct Forecast {
    struct Point {
        double crf, bytes;
    };
    std::vector<Point> points; ///< ascending crf; bytes of all picture packets
    bool standIn = false;      ///< made with filters in the networks' place
    bool rough = false;        ///< by its first samples alone, or carried over from another shape of the clip
    /// Log-linear between points and beyond them.
    double bytesAt(double crf) const;
};

/// Told while a forecast is made.
struct ForecastWatch {
    std::function<void(double)> far;            ///< 0…1 of its pictures, by their size
    std::function<void(const Forecast&)> early; ///< by the first samples alone: rough, at a tenth of the time
};

/// Renders three short runs of frames spread over the movie and encodes each at the given qualities; then corrects for
/// what short runs cannot see (cuts, uneven motion, the encoder's look ahead) by following a mosaic of four small tiles
/// through the whole movie, or through six parts of a long one: a ratio estimate (Cochran, Sampling Techniques, 1977,
/// ch. 6). How near it comes is in docs/bench.md. Throws Cancelled.
Forecast forecastSize(Engine&, const Delivery&, const std::vector<double>& crfs, const CancelToken&,
                      const ForecastWatch& = {});
/// The same at the best and the lowest quality that this delivery may come out with, filters in the networks' place:
/// what planSize() goes by.
Forecast forecastFor(Engine&, const DeliveryPtr&, const CancelToken&, const ForecastWatch& = {});

/// Whether a movie takes so much less than `budget` (bytes of its pictures, at the best quality that it may come out
/// with) that a glance at a few short runs of frames tells, at a tenth of a forecast's cost: half of it, a quarter
/// where filters stand in for networks.
bool clearlyFits(Engine&, const DeliveryPtr&, double budget, const CancelToken&);

/// `known`, of one delivery of a clip, for another of it that has no forecast yet: bytes grow with frames, and with the
/// power 0.8 of their pixels (0.76 to 0.85 on four of the demo's clips from 640×360 to 1920×1080, good quality). For
/// gauges until their own forecast is there; exports make their own.
Forecast carriedOver(const Forecast& known, Size fromSize, std::int64_t fromFrames, const Delivery& to);

/// The encoding settings common to forecast and export.
VideoEncoding encodingFor(const Delivery&);

/// Rows of a delivered frame that are computed at a time: all, up to about 4K; bands of larger ones, whose pictures
/// in floats would fill the memory. Even.
int bandRows(const PictureFormat&);

/// Delivered frame k as the encoder takes it; untouched pictures are passed on without conversion.
av::Frame deliveredPicture(Engine&, const Delivery&, std::int64_t k, const CancelToken&);

} // namespace ulm
