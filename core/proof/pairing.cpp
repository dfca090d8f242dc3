#include "core/proof/pairing.h"

#include "core/base/error.h"

#include <algorithm>

namespace ulm {
namespace {

std::shared_ptr<FrameReader> reader(const ClipPtr& clip) {
    return std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Frames, std::size_t(48) << 20);
}

} // namespace

std::int64_t Pairing::beforeFrame(std::int64_t n) const {
    // A hair after the frame's beginning: rounding of the containers' clocks must not lead to its neighbour.
    const double at = result->secondsAt(n) + 0.2 * (result->secondsAt(n + 1) - result->secondsAt(n));
    return delivery->clock.first() + delivery->clock.deliveredAt(at);
}

std::int64_t Pairing::sourceFrame(std::int64_t n) const { return delivery->clock.sourceOf(beforeFrame(n)); }

std::int64_t Pairing::resultFrame(std::int64_t n) const {
    const FrameClock& clock = delivery->clock;
    const std::int64_t k = std::clamp(clock.stageOf(n) - clock.first(), std::int64_t(0), clock.count() - 1);
    return result->frameAt(clock.secondsAt(k) + 0.2 * double(clock.duration(k)) * av_q2d(clock.timeBase()));
}

Point Pairing::toDelivered(std::int64_t sourceFrame, Point p) const {
    return delivery->toDelivered(delivery->clock.stageOf(sourceFrame), p);
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
    p.delivery = resolve(reader(p.source), nullptr, p.ticket, job.target);
    p.ticket = p.delivery->ticket;
    const Size made = p.delivery->size();
    if (made.w != b.width || made.h != b.height)
        throw Error(Fault::Usage, job.result,
                    "it is " + sizeText({b.width, b.height}) + ", but this ticket makes " + sizeText(made) + " of " +
                        sizeText({a.width, a.height}),
                    "Name the ticket that it was made with, or none.");
    p.before = asRgb(p.delivery->before);
    p.after = asRgb(std::make_shared<SourceStage>(reader(p.result)));
    return p;
}

} // namespace ulm
