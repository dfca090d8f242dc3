#include "app/spots/spots_model.h"

#include "app/tasks/image.h"
#include "core/inspect/readings.h"

#include <algorithm>
#include <cmath>
#include <tbb/parallel_for.h>

namespace ulm::app {
namespace {

// Side of what a spot's reading is taken from: source pixels, where its fault lives.
constexpr int kMeasured = 64;

// Less of them says nothing: blocks lie eight apart, ripples run along a whole edge and end where it is calm.
int leastMeasured(const QString& what) {
    if (what == "blocking" || what == "texture" || what.startsWith("noise")) return 16;
    return what == "ringing" ? 48 : 32;
}

// Faults of compression and sensors are read in the clip's own pixels, where they live; what an eye judges by, in those
// that are delivered.
bool toldAsDelivered(const QString& what) { return what == "haloes" || what == "stairs"; }

bool toldByEdges(const QString& what) {
    return what == "softness_px" || what == "text" || what == "face" || what == "motion";
}

Rect spotRegion(const Point& centre, const QSize& size, const PictureFormat& f) {
    const int w = std::min(size.width(), f.width), h = std::min(size.height(), f.height);
    const int x = std::clamp(static_cast<int>(centre.x) - w / 2, 0, f.width - w);
    const int y = std::clamp(static_cast<int>(centre.y) - h / 2, 0, f.height - h);
    return {x, y, w, h};
}

} // namespace

SpotsModel::SpotsModel(Project& project, DeliveryModel& deliveries, QObject* parent)
    : QObject(parent), project_(project), deliveries_(deliveries) {
    connect(&project_, &Project::currentChanged, this, &SpotsModel::forget);
    connect(&deliveries_, &DeliveryModel::changed, this, [this] {
        forget(); // before anything of a new clip is asked for
        choose();
        refresh();
    });
    connect(&project_, &Project::spotsChanged, this, &SpotsModel::refresh);
    connect(&project_, &Project::playheadChanged, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (c && std::ranges::any_of(c->spots, &Spot::follows)) refresh();
    });
}

bool SpotsModel::fresh() const { return !pictures_.empty() && std::ranges::all_of(pictures_, &SpotPicture::fresh); }

void SpotsModel::forget() {
    if (!other_.is(project_)) return;
    ++round_;
    worker_.stop();
    pictures_.clear();
    Q_EMIT updated();
}

void SpotsModel::setSize(std::size_t index, const QSize& pixels) {
    if (sizes_.size() <= index) sizes_.resize(index + 1, QSize(208, 208));
    if (pixels == sizes_[index]) return;
    sizes_[index] = pixels;
    refresh();
}

std::int64_t SpotsModel::frameOf(const Spot& s) const {
    const ClipEntry* c = project_.currentClip();
    return std::clamp<std::int64_t>(s.follows ? c->playhead : s.frame, 0, c->clip->frameCount() - 1);
}

void SpotsModel::choose() {
    const DeliveryPtr& d = deliveries_.onTable();
    if (!d) return;
    std::vector<Rect> windows = d->windows(deliveries_.stage());
    // Spots keep their distance from the crop's border, so that they show what they were chosen for.
    int longest = 0;
    for (Rect& w : windows) w = w.grown(-std::min(24, std::min(w.w, w.h) / 6)), longest = std::max({longest, w.w, w.h});
    // So far apart that their squares do not overlap, where the picture has room for that.
    const double square = side() / d->planAt(deliveries_.stage()).scale();
    project_.chooseSpots(windows, static_cast<int>(std::min(1.3 * square, longest / 3.0)));
}

void SpotsModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const DeliveryPtr& d = deliveries_.onTable();
    const std::uint64_t round = ++round_;
    if (!c || !d) {
        worker_.stop();
        return;
    }
    pictures_.resize(c->spots.size());
    struct Ask {
        QString what;
        std::int64_t stage;
        Rect region, measured; ///< delivered pixels; source pixels that are read; empty: nothing to read
        double scale;
        bool loops;
    };
    std::vector<Ask> asks;
    for (std::size_t i = 0; i < c->spots.size(); ++i) {
        const Spot& s = c->spots[i];
        pictures_[i].fresh = false;
        const QSize size = i < sizes_.size() ? sizes_[i] : QSize(208, 208);
        const std::int64_t frame = frameOf(s), stage = d->clock.stageOf(frame);
        const Rect region = spotRegion(d->toDelivered(stage, {s.x, s.y}), size, d->result->format());
        const Rect wanted = spotRegion({s.x, s.y}, {kMeasured, kMeasured}, d->source->format());
        const double scale = d->planAt(stage).scale();
        Rect measured = d->readable(stage, region, wanted);
        if (const int least = leastMeasured(s.what); std::min(measured.w, measured.h) < least) {
            // Much enlarged, a spot shows too little to read: what lies around it is read too.
            const int side = static_cast<int>(std::ceil((least + 10) * scale));
            const Rect around =
                spotRegion(d->toDelivered(stage, {s.x, s.y}), size.expandedTo({side, side}), d->result->format());
            measured = d->readable(stage, around, wanted);
        }
        asks.push_back({s.what, stage, region, measured, scale, s.what == "motion"});
    }
    Q_EMIT updated();
    const QPointer<QObject> self(this);
    worker_.submit([this, self, asks, round, d](const CancelToken& cancel) {
        const StagePtr after = asRgb(d->result), before = asRgb(d->before);
        tbb::parallel_for(std::size_t(0), asks.size(), [&](std::size_t i) {
            try {
                const Ask& a = asks[i];
                Engine& e = project_.engine();
                SpotPicture s;
                s.region = a.region;
                s.after = toImage(e.pull(*after, a.stage, a.region, cancel, Engine::Keep::Inputs));
                s.before = toImage(e.pull(*before, a.stage, a.region, cancel));
                // Both sides from delivered pixels, so that whatever treats the clip is read.
                const auto reading = [&](const StagePtr& delivered) {
                    if (toldAsDelivered(a.what))
                        return readingOf(a.what.toStdString(), e.pull(*delivered, a.stage, a.region, cancel), a.scale);
                    if (std::min(a.measured.w, a.measured.h) < 16) return std::nan("");
                    const StagePtr there = d->inSourcePixels(delivered, a.stage, a.measured);
                    return readingOf(a.what.toStdString(),
                                     e.pull(*there, a.stage, there->format().frame(), cancel, Engine::Keep::Inputs));
                };
                if (toldByEdges(a.what))
                    std::tie(s.readingBefore, s.readingAfter) =
                        edgeWidths(e.pull(*d->before, a.stage, a.region, cancel),
                                   e.pull(*d->result, a.stage, a.region, cancel), a.scale);
                else
                    s.readingAfter = reading(d->result), s.readingBefore = reading(d->before);
                for (std::int64_t n = a.stage - 3; a.loops && n <= a.stage + 3; ++n) {
                    if (n < 0 || n >= d->result->frames()) continue;
                    s.loopAfter.push_back(toImage(e.pull(*after, n, a.region, cancel, Engine::Keep::Inputs)));
                    s.loopBefore.push_back(toImage(e.pull(*before, n, a.region, cancel)));
                }
                s.fresh = true;
                onInterface(self, [this, s, i, round] {
                    if (round != round_ || i >= pictures_.size()) return;
                    pictures_[i] = s;
                    Q_EMIT updated();
                });
            } catch (const Cancelled&) {
            } catch (const Error& e) {
                project_.tell(e);
            }
        });
    });
}

} // namespace ulm::app
