#pragma once

#include "core/deliver/known_forecasts.h"
#include "core/engine/engine.h"
#include "core/inspect/inspection.h"
#include "core/pipeline/delivery.h"

#include <functional>
#include <optional>

namespace ulm {

struct ExportJob {
    std::string source, output; ///< output: the final file name
    Ticket ticket;
    std::optional<Target> target;                 ///< its limits rule size, shape and rate
    std::shared_ptr<const Inspection> inspection; ///< if known; else measured first where the ticket needs readings
    bool replace = false;                         ///< an existing output may be replaced
    std::size_t cacheBytes = std::size_t(160) << 20;
    std::optional<std::int64_t> memory;          ///< bytes it may take; else memoryToTake()
    std::shared_ptr<KnownForecasts> forecasts{}; ///< if given: what is known is not forecast again
};

struct ExportProgress {
    std::string phase; ///< "measuring", "forecasting", "rendering", "fitting"
    std::int64_t done = 0,
                 total = 0; ///< pictures over all passes, half of one is making it; before that hundredths; 0: unknown
    double fps = 0;         ///< frames of work a second
    double left = -1;       ///< seconds; < 0 not known yet
};

struct ExportReport {
    std::string source, output;
    std::int64_t frames = 0, bytes = 0, lostFrames = 0;
    double seconds = 0; ///< of the delivered movie
    Ticket ticket;
    Readings readings;
    CleanValues clean;
    std::vector<std::string> remarks; ///< Delivery::remarks()
    std::vector<std::string> later;   ///< what came up on the way
    std::map<std::string, Engine::Spent> steps;
    int encodes = 0;             ///< times the pictures went through the encoder
    std::int64_t limitBytes = 0; ///< 0: none
    std::vector<LimitCheck> limits;
};

/// Renders. Decoding, stages and encoding overlap; memory does not grow with duration. The output appears whole under
/// its name, or not at all.
/// onPlanned, if given, is told what will be done before it is.
/// Errors: Fault::Input, Usage (an ending that is not the container's), CannotFit (file size or memory, with what would
/// fit), Output; throws Cancelled.
ExportReport exportClip(const ExportJob&, const CancelToken&, const std::function<void(const ExportProgress&)>& = {},
                        const std::function<void(const Delivery&)>& onPlanned = {});

/// The ending that files of this container bear: ".mp4".
std::string endingOf(const std::string& container);

nlohmann::json toJson(const ExportReport&);

} // namespace ulm
