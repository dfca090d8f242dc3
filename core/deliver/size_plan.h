#pragma once

#include "core/deliver/forecast.h"
#include "core/pipeline/delivery.h"

namespace ulm {

/// How a delivery comes to its size: the one arithmetic that gauges and export share. Bytes are of the whole file
/// unless it says otherwise.
struct SizePlan {
    enum class Way {
        Unknown,  ///< a forecast is needed first
        Quality,  ///< one encode at `crf`
        Bitrate,  ///< at `bitrate`; two passes where twoPass
        Fit,      ///< two passes and more, to land under `limit`
        CannotFit ///< not even the lowest quality fits `limit`
    } way = Way::Unknown;
    double crf = 0;         ///< for Quality; for Fit the constant rate factor that comes nearest
    double bitrate = 0;     ///< bits a second of the pictures, for Bitrate and Fit
    bool twoPass = false;   ///< for Bitrate
    std::int64_t limit = 0; ///< 0: none
    double sound = 0;       ///< its bytes
    double container = 0;   ///< bytes of index and headers
    double budget = 0;      ///< bytes that the limit leaves for pictures; may be ≤ 0
    bool rough = false;     ///< from a forecast carried over from another shape
    double expected = -1;   ///< < 0: not known without a forecast
    double least = -1;      ///< at the lowest quality; < 0: not known
};

/// forecast: forecastFor() this delivery; null where there is none yet.
SizePlan planSize(const Delivery&, const Forecast* forecast);

/// Whether planSize() has to have a forecast to say how to encode (not merely how large it gets).
bool needsForecast(const Delivery&);

/// The constant rate factor of the best quality that the ticket asks for.
double bestCrf(const Delivery&);

/// Bytes of a file's index and headers, and of its sound.
double containerBytes(const Delivery&);
double soundBytes(const Delivery&);

} // namespace ulm
