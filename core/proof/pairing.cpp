#include "core/proof/pairing.h"

#include "core/base/error.h"
#include "core/ticket/made_with.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

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

namespace {

constexpr int kGrid = 24; // of the small pictures that are held against each other

// Mean luma of a grid of fields, their mean taken off.
std::array<double, kGrid * kGrid> smallPicture(const Picture& rgb) {
    std::array<double, kGrid * kGrid> out{};
    double all = 0;
    const Rect& a = rgb.area;
    for (int j = 0; j < kGrid; ++j)
        for (int i = 0; i < kGrid; ++i) {
            double sum = 0;
            int n = 0;
            for (int y = a.h * j / kGrid; y < std::max(a.h * j / kGrid + 1, a.h * (j + 1) / kGrid); ++y)
                for (int x = a.w * i / kGrid; x < std::max(a.w * i / kGrid + 1, a.w * (i + 1) / kGrid); x += 2, ++n)
                    for (const Plane& p : rgb.planes) sum += double(p.row(a.y + y)[x]) / 3;
            all += out[static_cast<std::size_t>(j * kGrid + i)] = sum / n;
        }
    for (double& v : out) v -= all / (kGrid * kGrid);
    return out;
}

// Correlation of what two pictures show at large; 1 where either is too even to tell.
double alike(const Picture& a, const Picture& b) {
    const auto x = smallPicture(a), y = smallPicture(b);
    const double xx = std::inner_product(x.begin(), x.end(), x.begin(), 0.0),
                 yy = std::inner_product(y.begin(), y.end(), y.begin(), 0.0),
                 xy = std::inner_product(x.begin(), x.end(), y.begin(), 0.0);
    constexpr double kEven = 0.01 * 0.01 * kGrid * kGrid;
    return xx < kEven || yy < kEven ? 1 : xy / std::sqrt(xx * yy);
}

// A page of two different pictures would be worse than none.
void requireSamePictures(const Pairing& p, const ProofJob& job, const CancelToken& cancel) {
    constexpr int kLooks = 5;
    constexpr double kAlike = 0.6;
    Engine engine(std::size_t(32) << 20);
    int unlike = 0;
    for (int i = 0; i < kLooks; ++i) {
        const std::int64_t n = p.result->frameCount() * (2 * i + 1) / (2 * kLooks);
        const Picture was = engine.pull(*p.before, p.beforeFrame(n), p.before->format().frame(), cancel),
                      is = engine.pull(*p.after, n, p.after->format().frame(), cancel);
        unlike += alike(was, is) < kAlike;
    }
    if (unlike * 2 > kLooks)
        throw Error(Fault::Usage, job.result, "it shows other pictures than " + job.source + " at the same times",
                    p.ticketKnown ? "Name the clip and the ticket that it was made with."
                                  : "Name the clip that it was made of, and the ticket or the report (--ticket).");
}

std::string secondsText(double s) { return shortNumber(s, 2) + " s"; }

} // namespace

Pairing pairUp(const ProofJob& job, const CancelToken& cancel) {
    Pairing p;
    p.source = Clip::openVideo(job.source, cancel);
    p.result = Clip::openVideo(job.result, cancel);
    const VideoFacts &a = p.source->facts().video, &b = p.result->facts().video;
    const auto known = job.ticket ? job.ticket : ticketIn(p.result->facts().comment);
    p.ticketKnown = known.has_value();
    const double long_ = p.result->facts().duration, was = p.source->facts().duration;
    // A frame or two are lost at the end where rates change.
    const double slack = 0.05 + 2 / std::min(a.fps, b.fps);
    if (known)
        p.ticket = *known;
    else { // the whole picture, cropped to the result's shape
        p.ticket.frame.on = true;
        p.ticket.frame.aspect = {b.width, b.height};
        p.ticket.frame.size = Size{b.width, b.height};
        p.ticket.frame.fill = "crop";
        if (long_ > was + slack)
            throw Error(Fault::Usage, job.result, "it is longer than " + job.source,
                        "Name the source first, then what was made of it.");
        if (long_ < was - slack)
            throw Error(Fault::Usage, job.result,
                        "it is " + secondsText(long_) + " of " + secondsText(was) + ", and does not say which part",
                        "Name the ticket or the report that it was made with (--ticket).");
    }
    p.delivery = resolve(reader(p.source), nullptr, p.ticket, job.target);
    p.ticket = p.delivery->ticket;
    const Size made = p.delivery->size();
    if (made.w != b.width || made.h != b.height)
        throw Error(Fault::Usage, job.result,
                    "it is " + sizeText({b.width, b.height}) + ", but this ticket makes " + sizeText(made) + " of " +
                        sizeText({a.width, a.height}),
                    "Name the ticket that it was made with, or none.");
    if (std::abs(p.delivery->seconds() - long_) > slack)
        throw Error(Fault::Usage, job.result,
                    "it is " + secondsText(long_) + " long, but this ticket makes " +
                        secondsText(p.delivery->seconds()) + " of " + job.source,
                    "Name the ticket that it was made with, or none.");
    p.before = asRgb(p.delivery->before);
    p.after = asRgb(std::make_shared<SourceStage>(reader(p.result)));
    requireSamePictures(p, job, cancel);
    return p;
}

} // namespace ulm
