#include "app/bench/live_model.h"

#include "app/tasks/image.h"

#include <tbb/parallel_for.h>

namespace ulm::app {
namespace {

constexpr int kTile = 256;
constexpr int kMeasured = 64; // side of what a spot's reading is taken from: source pixels, where its fault lives

double readingOf(const QString& what, const Picture& p) {
    if (what == "Noise") return noiseReading(p.planes[0], 219);
    if (what == "Edge") return softnessReading(p.planes[0]);
    return blockingReading(p.planes[0]);
}

Rect spotRegion(const QPointF& centre, int side, const PictureFormat& f) {
    const int w = std::min(side, f.width), h = std::min(side, f.height);
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
    connect(&project_, &Project::playheadChanged, this, [this] { refreshTable(); });
    tableLater_.setSingleShot(true);
    forecastLater_.setSingleShot(true);
    connect(&tableLater_, &QTimer::timeout, this, &LiveModel::refreshTable);
    connect(&forecastLater_, &QTimer::timeout, this, &LiveModel::refreshForecast);
}

void LiveModel::setSpotSide(int pixels) {
    if (pixels == spotSide_) return;
    spotSide_ = pixels;
    refreshSpots();
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
    } else {
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
    Q_EMIT forecastUpdated();
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
    const double square = spotSide_ * (b.x() - a.x()) / p.w;
    project_.chooseSpots(window, static_cast<int>(std::min(1.3 * square, std::max(window.w, window.h) / 3.0)));
}

QPointF LiveModel::toDelivered(double x, double y) const {
    if (!pipeline_) return {};
    const FramingPlan& p = pipeline_->plan;
    const PictureFormat& stored = pipeline_->source->format();
    const VideoFacts& v = dynamic_cast<const SourceStage&>(*pipeline_->source).reader().clip().facts().video;
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
    };
    std::vector<Ask> asks;
    for (std::size_t i = 0; i < c->spots.size(); ++i) {
        const Spot& s = c->spots[i];
        spots_[i].fresh = false;
        asks.push_back({s.what, std::clamp<std::int64_t>(s.frame, 0, c->clip->frameCount() - 1),
                        spotRegion(toDelivered(s.x, s.y), spotSide_, pipeline_->result->format()),
                        spotRegion({s.x, s.y}, kMeasured, pipeline_->source->format())});
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
                // Blocks and noise are told where they live, before any change of size; edges as they are delivered.
                const bool edge = a.what == "Edge";
                s.readingAfter = readingOf(
                    a.what, e.pull(edge ? *p->result : *p->cleaned, a.frame, edge ? a.region : a.measured, cancel));
                s.readingBefore = readingOf(
                    a.what, e.pull(edge ? *p->before : *p->source, a.frame, edge ? a.region : a.measured, cancel));
                s.fresh = true;
                onInterface(self, [this, s, i, round] {
                    if (round != spotRound_ || i >= spots_.size()) return;
                    spots_[i] = s;
                    Q_EMIT spotsUpdated();
                });
            } catch (const Cancelled&) {
            } catch (const Error& e) {
                const QString file = QString::fromStdString(e.file), reason = QString::fromStdString(e.reason),
                              remedy = QString::fromStdString(e.remedy);
                onInterface(self, [=, this] { Q_EMIT project_.problem(file, reason, remedy); });
            }
        });
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
    tableWorker_.submit([this, self, round, frame, focus, size, p = pipeline_](const CancelToken& cancel) {
        try {
            const StagePtr after = asRgb(p->result), before = asRgb(p->before);
            const Rect whole = after->format().frame();
            Engine& e = project_.engine();
            QImage old(size, QImage::Format_RGB32);
            e.pullTiles(*before, frame, whole, kTile, int(focus.x()), int(focus.y()), cancel,
                        [&](const Picture& t) { paste(toImage(t), old, t.area.x, t.area.y); });
            onInterface(self, [this, round, old] {
                if (round != tableRound_) return;
                tableBefore_ = old;
                if (tableAfter_.isNull()) tableAfter_ = old;
                Q_EMIT tableUpdated();
            });
            e.pullTiles(*after, frame, whole, kTile, int(focus.x()), int(focus.y()), cancel, [&](const Picture& t) {
                onInterface(self, [this, round, tile = toImage(t), x = t.area.x, y = t.area.y] {
                    if (round != tableRound_ || tableAfter_.isNull()) return;
                    paste(tile, tableAfter_, x, y);
                    ++tilesDone_;
                    Q_EMIT tableUpdated();
                });
            });
        } catch (const Cancelled&) {
        } catch (const Error& err) {
            const QString file = QString::fromStdString(err.file), reason = QString::fromStdString(err.reason),
                          remedy = QString::fromStdString(err.remedy);
            onInterface(self, [=, this] { Q_EMIT project_.problem(file, reason, remedy); });
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
    forecastWorker_.submit([this, self, round, crf, p = pipeline_](const CancelToken& cancel) {
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
