#pragma once

#include "core/deliver/target.h"
#include "core/engine/engine.h"
#include "core/inspect/inspection.h"
#include "core/pipeline/pipeline.h"

#include <functional>
#include <optional>

namespace ulm {

struct ExportJob {
    std::string source, output; ///< output: the final file name
    Ticket ticket;
    std::optional<Target> target;         ///< its limits rule size, shape and rate
    std::optional<Inspection> inspection; ///< if known; else measured first where the ticket needs readings
    bool replace = false;                 ///< an existing output may be replaced
    std::size_t cacheBytes = std::size_t(160) << 20;
    std::optional<std::int64_t> memory; ///< bytes it may take; else what the system has free
};

struct ExportProgress {
    std::string phase;                ///< "measuring", "rendering", "fitting"
    std::int64_t done = 0, total = 0; ///< frames of work, over all passes
    double fps = 0;                   ///< frames of work a second
    double left = -1;                 ///< seconds; < 0 not known yet
};

struct ExportReport {
    std::string source, output;
    std::int64_t frames = 0, bytes = 0, lostFrames = 0;
    double seconds = 0; ///< of the delivered movie
    Ticket ticket;
    Readings readings;
    CleanValues clean;
    std::map<std::string, Engine::Spent> steps;
    std::string soundNote, networkNote; ///< what a person should know of either; may be empty
    int encodes = 0;                    ///< times the pictures went through the encoder
    std::int64_t limitBytes = 0;        ///< 0: none
    std::vector<LimitCheck> limits;
};

/// Ticket with the target's limits worked in: size, shape, rate, and size limit, changing only what breaks a limit.
Ticket fitToTarget(const Ticket&, const Target&, const MediaFacts&);

/// What the ticket says its file will be, before any encode.
Delivery plannedDelivery(const Pipeline&);

/// The size limit of a job: the smaller of ticket's and target's, bytes; 0 none.
std::int64_t sizeLimit(const Ticket&, const std::optional<Target>&);

/// Renders. Decoding, stages and encoding overlap; memory does not grow with duration. The output appears whole under
/// its name, or not at all.
/// Errors: Fault::Input, Usage, CannotFit (file size or memory, with what would fit), Output; throws Cancelled.
ExportReport exportClip(const ExportJob&, const CancelToken&, const std::function<void(const ExportProgress&)>& = {});

nlohmann::json toJson(const ExportReport&);

} // namespace ulm
