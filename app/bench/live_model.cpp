#include "app/bench/live_model.h"

#include "app/tasks/image.h"
#include "core/deliver/encoded_frame.h"
#include "core/deliver/export.h"
#include "core/judge/overdone.h"
#include "core/model/model_folder.h"

#include <tbb/parallel_for.h>

namespace ulm::app {
namespace {

constexpr int kTile = 256;
constexpr int kMeasured = 64; // side of what a spot's reading is taken from: source pixels, where its fault lives

// Faults of compression and sensors are told where they live, before any change of size; what an eye judges by, as it
// is delivered.
bool toldAsDelivered(const QString& what) {
    return what == "softness_px" || what == "haloes" || what == "stairs" || what == "text" || what == "face";
}

double spotReading(const QString& what, const Picture& p, double scale) {
    const bool edge = what == "text" || what == "face" || what == "motion";
    return readingOf(edge ? "softness_px" : what.toStdString(), p, scale);
}

Rect spotRegion(const QPointF& centre, const QSize& size, const PictureFormat& f) {
    const int w = std::min(size.width(), f.width), h = std::min(size.height(), f.height);
    const int x = std::clamp(static_cast<int>(centre.x()) - w / 2, 0, f.width - w);
    const int y = std::clamp(static_cast<int>(centre.y()) - h / 2, 0, f.height - h);
    return {x, y, w, h};
}

void paste(const QImage& tile, QImage& onto, int x, int y) {
    for (int row = 0; row < tile.height(); ++row)
        std::memcpy(onto.scanLine(y + row) + x * 4, tile.constScanLine(row),
                    static_cast<std::size_t>(tile.width()) * 4);
}

} // namespace

LiveModel::LiveModel(Project& project, QObject* parent) : QObject(parent), project_(project) {
    connect(&project_, &Project::currentChanged, this, &LiveModel::rebuild);
    connect(&project_, &Project::ticketChanged, this, &LiveModel::rebuild);
    connect(&project_, &Project::inspectionChanged, this, [this](int i) {
        if (i == project_.current() && project_.currentClip()->inspection) rebuild();
    });
    connect(&project_, &Project::spotsChanged, this, &LiveModel::refreshSpots);
    connect(&project_, &Project::playheadChanged, this, [this] {
        refreshTable();
        const ClipEntry* c = project_.currentClip();
        if (c && std::ranges::any_of(c->spots, &Spot::follows)) refreshSpots();
        faultView_.fresh = false;
        if (!faultKey_.isEmpty()) faultLater_.start(30);
    });
    connect(this, &LiveModel::choiceWanted, this, &LiveModel::chooseSpots);
    tableLater_.setSingleShot(true);
    forecastLater_.setSingleShot(true);
    faultLater_.setSingleShot(true);
    connect(&faultLater_, &QTimer::timeout, this, &LiveModel::refreshFault);
    connect(&tableLater_, &QTimer::timeout, this, &LiveModel::refreshTable);
    connect(&forecastLater_, &QTimer::timeout, this, &LiveModel::refreshForecast);
}

void LiveModel::setSpotSize(std::size_t index, const QSize& pixels) {
    if (spotSizes_.size() <= index) spotSizes_.resize(index + 1, QSize(208, 208));
    if (pixels == spotSizes_[index]) return;
    spotSizes_[index] = pixels;
    refreshSpots();
}

void LiveModel::setViews(View left, View right) {
    if (left == left_ && right == right_) return;
    left_ = left;
    right_ = right;
    tableAfter_ = QImage();
    Q_EMIT viewsChanged();
    refreshTable();
}

void LiveModel::setStep(const QString& key) {
    if (key == step_) return;
    step_ = key;
    Q_EMIT stepChanged();
}

void LiveModel::setFault(const QString& key) {
    if (key == faultKey_) return;
    faultKey_ = key;
    faultView_ = {};
    Q_EMIT faultUpdated();
    refreshFault();
}

void LiveModel::report(const Error& e) {
    const QString file = QString::fromStdString(e.file), reason = QString::fromStdString(e.reason),
                  remedy = QString::fromStdString(e.remedy);
    onInterface(this, [=, this] { Q_EMIT project_.problem(file, reason, remedy); });
}

std::shared_ptr<const Pipeline> LiveModel::pipelineFor(const Ticket& ticket) const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return nullptr;
    try {
        return std::make_shared<Pipeline>(buildPipeline(c->reader, ticket, c->readings()));
    } catch (const Error&) {
        return nullptr;
    }
}

double LiveModel::plannedCrf() const {
    const ClipEntry* c = project_.currentClip();
    if (!c) return 20;
    double crf = c->ticket.deliver.rate == "size" ? crfFor("best") : crfFor(c->ticket.deliver.quality);
    std::int64_t limit = sizeLimit(c->ticket, std::nullopt);
    for (const Target& t : project_.targets())
        if (project_.watched().contains(t.name) && project_.chosen().contains(t.name)) {
            limit = sizeLimit(c->ticket, t);
            break;
        }
    if (limit > 0 && forecast_)
        while (crf < 45 && forecast_->bytesAt(crf) > double(limit)) crf += 0.5;
    return crf;
}

void LiveModel::setPlaying(bool playing) {
    playing_ = playing;
    if (playing) {
        tableWorker_.stop();
        forecastWorker_.stop();
    } else {
        refreshTable();
        if (!forecast_) forecastLater_.start(400);
    }
}

void LiveModel::rebuild() {
    ClipEntry* c = project_.currentClip();
    pipeline_.reset();
    problem_.clear();
    forecast_.reset();
    forecastWorker_.stop();
    if (!c || !c->clip) {
        spots_.clear();
        tableBefore_ = tableAfter_ = QImage();
        tilesDone_ = tilesTotal_ = 0;
        spotWorker_.stop();
        tableWorker_.stop();
    } else if (!openingNetwork()) {
        try {
            pipeline_ = std::make_shared<Pipeline>(buildPipeline(c->reader, c->ticket, c->readings()));
        } catch (const Error& e) {
            problem_ = QString::fromStdString(e.reason + ". " + e.remedy);
        }
    }
    Q_EMIT pipelineChanged();
    chooseSpots();
    refreshSpots();
    // Spots first: they are what a moving slider is judged by.
    tableWorker_.stop();
    if (tilesTotal_) tilesDone_ = 0;
    Q_EMIT tableUpdated();
    tableLater_.start(project_.currentClip() && tableAfter_.isNull() ? 0 : 60);
    forecastLater_.start(900);
    faultView_.fresh = false;
    if (!faultKey_.isEmpty()) faultLater_.start(80);
    Q_EMIT forecastUpdated();
}

bool LiveModel::openingNetwork() {
    const Ticket& t = project_.currentClip()->ticket;
    const std::string name = t.enlarge.on && t.enlarge.method.ends_with(".onnx") ? t.enlarge.method : "";
    if (name.empty() || name == tried_ || userNetworkIsOpen(name)) {
        tried_.clear();
        return false;
    }
    inBackground(Lane::Quick, [this, name, self = QPointer<QObject>(this)] {
        try {
            openUserNetwork(name);
        } catch (const Error&) { // building the pipeline tells
        }
        onInterface(self, [this, name] {
            tried_ = name;
            rebuild();
        });
    });
    return true;
}

void LiveModel::chooseSpots() {
    if (!pipeline_) return;
    const FramingPlan& p = pipeline_->plan;
    const QPointF a = toSource({double(p.x), double(p.y)}), b = toSource({double(p.x + p.w), double(p.y + p.h)});
    // Spots keep their distance from the crop's border, so that they show what they were chosen for.
    const double inset = std::min(24.0, std::min(b.x() - a.x(), b.y() - a.y()) / 6);
    const Rect window{int(a.x() + inset), int(a.y() + inset), int(b.x() - a.x() - 2 * inset),
                      int(b.y() - a.y() - 2 * inset)};
    // So far apart that their squares do not overlap, where the picture has room for that.
    const double square = spotSide() * (b.x() - a.x()) / p.w;
    project_.chooseSpots(window, static_cast<int>(std::min(1.3 * square, std::max(window.w, window.h) / 3.0)));
}

QPointF LiveModel::toDelivered(double x, double y) const {
    return pipeline_ ? deliveredOf(*pipeline_, x, y) : QPointF();
}

QPointF LiveModel::deliveredOf(const Pipeline& pipeline, double x, double y) {
    const FramingPlan& p = pipeline.plan;
    const PictureFormat& stored = pipeline.source->format();
    const VideoFacts& v = dynamic_cast<const SourceStage&>(*pipeline.source).reader().clip().facts().video;
    const double dx = x * v.width / stored.width, dy = y * v.height / stored.height;
    return {p.x + (dx - p.srcX) * p.w / p.srcW, p.y + (dy - p.srcY) * p.h / p.srcH};
}

QPointF LiveModel::toSource(const QPointF& d) const {
    if (!pipeline_) return {};
    const FramingPlan& p = pipeline_->plan;
    const PictureFormat& stored = pipeline_->source->format();
    const VideoFacts& v = dynamic_cast<const SourceStage&>(*pipeline_->source).reader().clip().facts().video;
    return {(p.srcX + (d.x() - p.x) * p.srcW / p.w) * stored.width / v.width,
            (p.srcY + (d.y() - p.y) * p.srcH / p.h) * stored.height / v.height};
}

void LiveModel::refreshSpots() {
    const ClipEntry* c = project_.currentClip();
    const std::uint64_t round = ++spotRound_;
    if (!c || !pipeline_) return;
    spots_.resize(c->spots.size());
    struct Ask {
        QString what;
        std::int64_t frame;
        Rect region, measured;
        bool loops;
    };
    std::vector<Ask> asks;
    for (std::size_t i = 0; i < c->spots.size(); ++i) {
        const Spot& s = c->spots[i];
        spots_[i].fresh = false;
        const QSize size = i < spotSizes_.size() ? spotSizes_[i] : QSize(208, 208);
        asks.push_back(
            {s.what, std::clamp<std::int64_t>(s.follows ? c->playhead : s.frame, 0, c->clip->frameCount() - 1),
             spotRegion(toDelivered(s.x, s.y), size, pipeline_->result->format()),
             spotRegion({s.x, s.y}, {kMeasured, kMeasured}, pipeline_->source->format()), s.what == "motion"});
    }
    Q_EMIT spotsUpdated();
    const QPointer<QObject> self(this);
    spotWorker_.submit([this, self, asks, round, p = pipeline_](const CancelToken& cancel) {
        const StagePtr after = asRgb(p->result), before = asRgb(p->before);
        tbb::parallel_for(std::size_t(0), asks.size(), [&](std::size_t i) {
            try {
                const Ask& a = asks[i];
                Engine& e = project_.engine();
                SpotPicture s;
                s.region = a.region;
                s.after = toImage(e.pull(*after, a.frame, a.region, cancel, Engine::Keep::Inputs));
                s.before = toImage(e.pull(*before, a.frame, a.region, cancel));
                const bool edge = toldAsDelivered(a.what);
                s.readingAfter = spotReading(
                    a.what, e.pull(edge ? *p->result : *p->cleaned, a.frame, edge ? a.region : a.measured, cancel),
                    edge ? p->plan.scale() : 1);
                s.readingBefore = spotReading(
                    a.what, e.pull(edge ? *p->before : *p->source, a.frame, edge ? a.region : a.measured, cancel),
                    edge ? p->plan.scale() : 1);
                for (std::int64_t n = a.frame - 3; a.loops && n <= a.frame + 3; ++n) {
                    if (n < 0 || n >= p->result->frames()) continue;
                    s.loopAfter.push_back(toImage(e.pull(*after, n, a.region, cancel, Engine::Keep::Inputs)));
                    s.loopBefore.push_back(toImage(e.pull(*before, n, a.region, cancel)));
                }
                s.fresh = true;
                onInterface(self, [this, s, i, round] {
                    if (round != spotRound_ || i >= spots_.size()) return;
                    spots_[i] = s;
                    Q_EMIT spotsUpdated();
                });
            } catch (const Cancelled&) {
            } catch (const Error& e) {
                report(e);
            }
        });
    });
}

// The highest score of any kind in each block, brought from delivered pixels to the source's.
void LiveModel::showOverdone(const Pipeline& p, std::int64_t frame, double noise, const CancelToken& cancel,
                             FaultView& view) {
    Engine& e = project_.engine();
    const Rect all = p.result->format().frame();
    OverdonePlace place;
    place.before = e.pull(*p.before, frame, all, cancel);
    place.after = e.pull(*p.result, frame, all, cancel);
    place.frame = frame;
    place.scale = p.plan.scale();
    place.noise = noise;
    place.text = !findText(e.pull(*p.source, frame, p.source->format().frame(), cancel).planes[0], frame).empty();
    const Overdone o = judgeOverdone(place);
    view.after = FaultMap(p.source->format().frame());
    for (int r = 0; r < view.after.rows(); ++r)
        for (int c = 0; c < view.after.columns(); ++c) {
            const Rect b = view.after.block(c, r);
            const QPointF d = deliveredOf(p, b.x + b.w / 2.0, b.y + b.h / 2.0);
            double most = 0;
            for (const auto& [key, map] : o.maps) most = std::max<double>(most, map.atPixel(int(d.x()), int(d.y())));
            view.after.add(b.x, b.y, most);
        }
    view.before = view.after.turned([](double) { return 0.0; });
    view.readingAfter = o.gauge();
    view.mapped = true;
    view.from = 50;
    view.to = 200;
}

void LiveModel::refreshFault() {
    const ClipEntry* c = project_.currentClip();
    const std::uint64_t round = ++faultRound_;
    if (!c || !pipeline_ || faultKey_.isEmpty() || playing_) {
        faultWorker_.stop();
        return;
    }
    // Spots and the table go first: the overlay reads what they have computed.
    if (spotWorker_.busy() || tableWorker_.busy()) return faultLater_.start(40);
    const QPointer<QObject> self(this);
    FaultView view;
    view.key = faultKey_;
    if (const Inspection* i = c->found(); i && faultKey_ == "overlay") view.marks = i->overlays;
    faultWorker_.submit([this, self, round, view, frame = c->playhead, noise = c->readings().noise,
                         p = pipeline_](const CancelToken& cancel) mutable {
        try {
            Engine& e = project_.engine();
            const Rect whole = p->source->format().frame();
            const Picture before = e.pull(*p->source, frame, whole, cancel);
            if (view.key == "face") view.marks = findFaces(before.planes[0], frame);
            if (view.key == "text") view.marks = findText(before.planes[0], frame);
            if (const ReadingKind* kind = findReading(view.key.toStdString()); kind && kind->mapped) {
                const Picture after = p->cleaned == p->source ? before : e.pull(*p->cleaned, frame, whole, cancel);
                Picture next;
                const bool combs = view.key == "combing" && frame + 1 < p->source->frames();
                if (combs) next = e.pull(*p->source, frame + 1, whole, cancel);
                PictureReading was = lookAt(before, combs ? &next.planes[0] : nullptr),
                               is = p->cleaned == p->source ? was : lookAt(after, combs ? &next.planes[0] : nullptr);
                view.before = std::move(was.maps[kind->key]);
                view.after = std::move(is.maps[kind->key]);
                view.readingBefore = was.readings.*kind->member;
                view.readingAfter = is.readings.*kind->member;
                // From where it begins to show, to what this frame holds much of.
                view.mapped = true;
                view.from = 0.6 * std::max(kind->notable, 0.5);
                view.to = std::max(6 * view.from, 2 * view.readingBefore);
            }
            if (view.key == "overdone") showOverdone(*p, frame, noise, cancel, view);
            view.fresh = true;
            onInterface(self, [this, round, view] {
                if (round != faultRound_) return;
                faultView_ = view;
                Q_EMIT faultUpdated();
            });
        } catch (const Cancelled&) {
        } catch (const Error& e) {
            report(e);
        }
    });
}

void LiveModel::refreshTable() {
    const ClipEntry* c = project_.currentClip();
    if (!c || !pipeline_ || playing_) return;
    const std::uint64_t round = ++tableRound_;
    const PictureFormat f = pipeline_->result->format();
    const QSize size(f.width, f.height);
    if (tableAfter_.size() != size) tableAfter_ = QImage();
    tilesTotal_ = ((f.width + kTile - 1) / kTile) * ((f.height + kTile - 1) / kTile);
    tilesDone_ = 0;
    Q_EMIT tableUpdated();
    const QPointer<QObject> self(this);
    const std::int64_t frame = c->playhead;
    const QPointF focus = focus_.isNull() ? QPointF(f.width / 2.0, f.height / 2.0) : focus_;
    const std::shared_ptr<const Pipeline> kept =
        (left_ == View::Kept || right_ == View::Kept) && c->kept ? pipelineFor(*c->kept) : nullptr;
    const View left = left_, right = right_;
    const double crf = plannedCrf();
    tableWorker_.submit([=, this, p = pipeline_](const CancelToken& cancel) {
        Engine& e = project_.engine();
        // Fills `onTile` with one side's picture: tile by tile, or at once where it is only known as a whole.
        const auto fill = [&](View view, const auto& onTile) {
            const auto tiles = [&](const StagePtr& stage) {
                e.pullTiles(*stage, frame, stage->format().frame(), kTile, int(focus.x()), int(focus.y()), cancel,
                            [&](const Picture& t) { onTile(toImage(t), t.area.x, t.area.y); });
            };
            if (view == View::Original) return tiles(asRgb(p->before));
            if (view == View::Encoded)
                return onTile(toImage(encodedFrame(e, *p, deliveredIndexOf(*p, frame), crf, 12, cancel)), 0, 0);
            if (view == View::Kept && kept && kept->result != p->result) {
                const StagePtr stage = asRgb(kept->result);
                const QImage whole = toImage(e.pull(*stage, frame, stage->format().frame(), cancel));
                return onTile(
                    whole.size() == size ? whole : whole.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation),
                    0, 0);
            }
            tiles(asRgb(p->result));
        };
        try {
            QImage old(size, QImage::Format_RGB32);
            fill(left, [&](const QImage& t, int x, int y) { paste(t, old, x, y); });
            onInterface(self, [this, round, old] {
                if (round != tableRound_) return;
                tableBefore_ = old;
                if (tableAfter_.isNull()) tableAfter_ = old;
                Q_EMIT tableUpdated();
            });
            fill(right, [&](const QImage& tile, int x, int y) {
                onInterface(self, [=, this] {
                    if (round != tableRound_ || tableAfter_.isNull()) return;
                    paste(tile, tableAfter_, x, y);
                    tilesDone_ = tile.size() == size ? tilesTotal_ : tilesDone_ + 1;
                    Q_EMIT tableUpdated();
                });
            });
        } catch (const Cancelled&) {
        } catch (const Error& err) {
            report(err);
        }
    });
}

void LiveModel::refreshForecast() {
    const ClipEntry* c = project_.currentClip();
    if (!c || !pipeline_ || playing_) return;
    if (spotWorker_.busy() || tableWorker_.busy()) return forecastLater_.start(300);
    const std::uint64_t round = ++forecastRound_;
    const double crf = c->ticket.deliver.rate == "size" ? crfFor("best") : crfFor(c->ticket.deliver.quality);
    const QPointer<QObject> self(this);
    const Ticket quick = withoutNetworks(c->ticket);
    const auto stand = quick == c->ticket ? pipeline_ : pipelineFor(quick);
    forecastWorker_.submit([this, self, round, crf, p = stand ? stand : pipeline_](const CancelToken& cancel) {
        try {
            const Forecast f = forecastSize(project_.engine(), *p, {crf, kFloorCrf}, cancel);
            onInterface(self, [this, round, f] {
                if (round != forecastRound_) return;
                forecast_ = f;
                Q_EMIT forecastUpdated();
            });
        } catch (const Error&) { // the spots and the table say what is wrong
        }
    });
}

} // namespace ulm::app
