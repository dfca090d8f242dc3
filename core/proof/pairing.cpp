#include "core/proof/pairing.h"

#include "core/error.h"

#include <algorithm>

namespace ulm {
namespace {

std::shared_ptr<FrameReader> reader(const ClipPtr& clip) {
    return std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(48) << 20);
}

std::string sizeText(int w, int h) { return std::to_string(w) + "×" + std::to_string(h); }

} // namespace

std::int64_t Pairing::sourceFrame(std::int64_t n) const {
    const double from = ticket.stretch.on ? ticket.stretch.from : 0;
    // A hair after the frame's beginning: rounding of the containers' clocks must not lead to its neighbour.
    return source->frameAt(from + result->secondsAt(n) + 0.2 * (result->secondsAt(n + 1) - result->secondsAt(n)));
}

std::int64_t Pairing::resultFrame(std::int64_t n) const {
    const double from = ticket.stretch.on ? ticket.stretch.from : 0;
    return result->frameAt(
        std::max(0.0, source->secondsAt(n) - from + 0.2 * (source->secondsAt(n + 1) - source->secondsAt(n))));
}

std::pair<double, double> Pairing::toDelivered(double x, double y) const {
    const FramingPlan& p = line.plan;
    const PictureFormat& stored = line.source->format();
    const VideoFacts& v = source->facts().video;
    return {p.x + (x * v.width / stored.width - p.srcX) * p.w / p.srcW,
            p.y + (y * v.height / stored.height - p.srcY) * p.h / p.srcH};
}

Pairing pairUp(const ProofJob& job, const CancelToken& cancel) {
    Pairing p;
    p.source = Clip::openVideo(job.source, cancel);
    p.result = Clip::openVideo(job.result, cancel);
    const VideoFacts &a = p.source->facts().video, &b = p.result->facts().video;
    p.ticketKnown = job.ticket.has_value();
    if (job.ticket)
        p.ticket = *job.ticket;
    else { // the whole picture, cropped to the result's shape
        p.ticket.frame.on = true;
        p.ticket.frame.aspect = {b.width, b.height};
        p.ticket.frame.size = Size{b.width, b.height};
        p.ticket.frame.fill = "crop";
        if (p.result->facts().duration > p.source->facts().duration * 1.1 + 0.2)
            throw Error(Fault::Usage, job.result, "it is longer than " + job.source,
                        "Name the source first, then what was made of it.");
    }
    p.line = buildPipeline(reader(p.source), p.ticket, {});
    if (p.line.plan.width != b.width || p.line.plan.height != b.height)
        throw Error(Fault::Usage, job.result,
                    "it is " + sizeText(b.width, b.height) + ", but this ticket makes " +
                        sizeText(p.line.plan.width, p.line.plan.height) + " of " + sizeText(a.width, a.height),
                    "Name the ticket that it was made with, or none.");
    p.before = asRgb(p.line.before);
    p.after = asRgb(std::make_shared<SourceStage>(reader(p.result)));
    return p;
}

} // namespace ulm
