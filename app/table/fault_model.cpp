#include "app/table/fault_model.h"

#include "core/inspect/readings.h"
#include "core/judge/overdone.h"
#include "core/pipeline/between_doubt.h"

namespace ulm::app {

FaultModel::FaultModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent)
    : QObject(parent), project_(project), deliveries_(deliveries), busy_(std::move(busy)) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &FaultModel::refresh);
    connect(&deliveries_, &DeliveryModel::changed, this, [this] { stale(80); });
    connect(&project_, &Project::playheadChanged, this, [this] { stale(30); });
}

void FaultModel::stale(int wait) {
    view_.fresh = false;
    if (!key_.isEmpty()) later_.start(wait);
}

void FaultModel::show(const QString& key) {
    if (key == key_) return;
    key_ = key;
    view_ = {};
    Q_EMIT updated();
    refresh();
}

// The highest score of any kind in each block, brought from delivered pixels to the source's.
void FaultModel::showOverdone(const Delivery& d, std::int64_t stage, const CancelToken& cancel, FaultView& view) {
    Engine& e = project_.engine();
    const Rect all = d.result->format().frame();
    const std::int64_t frame = d.clock.sourceOf(stage);
    OverdonePlace place = overdonePlace(e, d, stage, all, cancel);
    place.text = !findText(e.pull(*d.source, frame, d.source->format().frame(), cancel).planes[0], frame).empty();
    const Overdone o = judgeOverdone(place);
    view.after = FaultMap(d.source->format().frame());
    for (int r = 0; r < view.after.rows(); ++r)
        for (int c = 0; c < view.after.columns(); ++c) {
            const Rect b = view.after.block(c, r);
            const Point p = d.toDelivered(stage, {b.x + b.w / 2.0, b.y + b.h / 2.0});
            double most = 0;
            for (const auto& [key, map] : o.maps) most = std::max<double>(most, map.atPixel(int(p.x), int(p.y)));
            view.after.add(b.x, b.y, most);
        }
    view.before = view.after.turned([](double) { return 0.0; });
    view.readingAfter = o.gauge();
    view.mapped = true;
    view.from = 50;
    view.to = 200;
}

FaultView FaultModel::look(const DeliveryPtr& d, std::int64_t stage, FaultView view, const CancelToken& cancel) {
    Engine& e = project_.engine();
    const std::int64_t frame = d->clock.sourceOf(stage);
    if (view.key == "face" || view.key == "text") {
        const Picture clip = e.pull(*d->source, frame, d->source->format().frame(), cancel);
        view.marks = view.key == "face" ? findFaces(clip, frame) : findText(clip.planes[0], frame);
    }
    if (const ReadingKind* kind = findReading(view.key.toStdString()); kind && kind->mapped) {
        // Both sides as they are delivered, brought back to the clip's own pixels: whatever treats the clip is read.
        // Cut to whole blocks, so that the grid of compression stays where it is looked for.
        constexpr int kBlock = FaultMap::kBlock;
        const Rect shown = d->readable(stage, d->result->format().frame(), d->source->format().frame());
        const int x = (shown.x + kBlock - 1) / kBlock * kBlock, y = (shown.y + kBlock - 1) / kBlock * kBlock;
        const Rect place{x, y, shown.right() - x, shown.bottom() - y};
        if (place.w < kBlock || place.h < kBlock) return view;
        const auto read = [&](const StagePtr& side) {
            const auto picture = [&](std::int64_t n) {
                const StagePtr there = d->inSourcePixels(side, n, place);
                return e.pull(*there, n, there->format().frame(), cancel, Engine::Keep::Inputs);
            };
            std::optional<Picture> next; // combs show where two fields differ from the frame after
            if (view.key == "combing" && stage + 1 < side->frames()) next = picture(stage + 1);
            return lookAt(picture(stage), next ? &next->planes[0] : nullptr);
        };
        PictureReading was = read(d->before), is = d->picturesUntouched ? was : read(d->result);
        view.before = was.maps[kind->key].movedTo(x, y);
        view.after = is.maps[kind->key].movedTo(x, y);
        view.readingBefore = was.readings.*kind->member;
        view.readingAfter = is.readings.*kind->member;
        // From where it begins to show, to what this frame holds much of.
        view.mapped = true;
        view.from = 0.6 * std::max(kind->notable, 0.5);
        view.to = std::max(6 * view.from, 2 * view.readingBefore);
    }
    if (view.key == "paths") view.paths = pathsAt(e, *d, stage, cancel);
    if (view.key == "overdone") showOverdone(*d, stage, cancel, view);
    view.fresh = true;
    return view;
}

void FaultModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const DeliveryPtr& d = deliveries_.onTable();
    const std::uint64_t round = ++round_;
    if (!c || !d || key_.isEmpty() || playing_) {
        worker_.stop();
        return;
    }
    if (busy_()) return later_.start(40);
    const QPointer<QObject> self(this);
    FaultView view;
    view.key = key_;
    if (const Inspection* i = c->found(); i && key_ == "overlay") view.marks = i->overlays;
    worker_.submit([this, self, round, view, d, stage = deliveries_.stage()](const CancelToken& cancel) {
        try {
            const FaultView seen = look(d, stage, view, cancel);
            onInterface(self, [this, round, seen] {
                if (round != round_) return;
                view_ = seen;
                Q_EMIT updated();
            });
        } catch (const Cancelled&) {
        } catch (const Error& e) {
            project_.tell(e);
        }
    });
}

} // namespace ulm::app
