#include "app/table/table_model.h"

#include "app/tasks/image.h"
#include "core/deliver/encoded_frame.h"

#include <cstring>

namespace ulm::app {
namespace {

constexpr int kTile = 256;
constexpr int kLead = 12; // frames encoded before the one that is shown

void paste(const QImage& tile, QImage& onto, int x, int y) {
    for (int row = 0; row < tile.height(); ++row)
        std::memcpy(onto.scanLine(y + row) + x * 4, tile.constScanLine(row),
                    static_cast<std::size_t>(tile.width()) * 4);
}

} // namespace

TableModel::TableModel(Project& project, DeliveryModel& deliveries, std::function<double()> plannedCrf, QObject* parent)
    : QObject(parent), project_(project), deliveries_(deliveries), plannedCrf_(std::move(plannedCrf)) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &TableModel::refresh);
    connect(&project_, &Project::currentChanged, this, &TableModel::forget);
    connect(&project_, &Project::playheadChanged, this, &TableModel::refresh);
    connect(&deliveries_, &DeliveryModel::changed, this, [this] {
        forget();
        // Spots first: they are what a moving slider is judged by.
        worker_.stop();
        ++round_;
        if (tilesTotal_) tilesDone_ = 0;
        Q_EMIT updated();
        later_.start(after_.isNull() ? 0 : 60);
    });
}

void TableModel::forget() {
    if (!other_.is(project_)) return;
    ++round_;
    worker_.stop();
    before_ = after_ = QImage();
    tilesDone_ = tilesTotal_ = 0;
    Q_EMIT updated();
}

void TableModel::setViews(View left, View right) {
    if (left == left_ && right == right_) return;
    left_ = left;
    right_ = right;
    after_ = QImage();
    Q_EMIT viewsChanged();
    refresh();
}

void TableModel::setPlaying(bool playing) {
    playing_ = playing;
    if (playing)
        worker_.stop();
    else
        refresh();
}

void TableModel::refresh() {
    const ClipEntry* c = project_.currentClip();
    const DeliveryPtr& d = deliveries_.onTable();
    if (!c || !d || playing_) return;
    const std::uint64_t round = ++round_;
    const PictureFormat f = d->result->format();
    const QSize size(f.width, f.height);
    if (after_.size() != size) after_ = QImage();
    if (before_.size() != size) before_ = QImage();
    tilesTotal_ = ((f.width + kTile - 1) / kTile) * ((f.height + kTile - 1) / kTile);
    tilesDone_ = 0;
    Q_EMIT updated();
    const QPointer<QObject> self(this);
    const std::int64_t stage = deliveries_.stage(), source = c->playhead;
    const QPointF focus = focus_.isNull() ? QPointF(f.width / 2.0, f.height / 2.0) : focus_;
    const DeliveryPtr kept =
        (left_ == View::Kept || right_ == View::Kept) && c->kept ? deliveries_.ofTicket(*c->kept) : nullptr;
    const View left = left_, right = right_;
    const double crf = plannedCrf_();
    worker_.submit([=, this](const CancelToken& cancel) {
        Engine& e = project_.engine();
        // Fills `onTile` with one side's picture: tile by tile, or at once where it is only known as a whole.
        const auto fill = [&](View view, const auto& onTile) {
            const auto tiles = [&](const StagePtr& stage_) {
                e.pullTiles(*stage_, stage, stage_->format().frame(), kTile, int(focus.x()), int(focus.y()), cancel,
                            [&](const Picture& t) { onTile(toImage(t), t.area.x, t.area.y); });
            };
            if (view == View::Original) return tiles(asRgb(d->before));
            if (view == View::Encoded) {
                const std::int64_t k = std::clamp(stage - d->clock.first(), std::int64_t(0), d->frames() - 1);
                return onTile(toImage(encodedFrame(e, *d, k, crf, kLead, cancel)), 0, 0);
            }
            if (view == View::Kept && kept && kept->result->key() != d->result->key()) {
                const StagePtr rgb = asRgb(kept->result);
                const QImage whole = wholeImage(e, *rgb, kept->clock.stageOf(source), cancel);
                return onTile(
                    whole.size() == size ? whole : whole.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation),
                    0, 0);
            }
            tiles(asRgb(d->result));
        };
        try {
            QImage old(size, QImage::Format_RGB32);
            fill(left, [&](const QImage& t, int x, int y) { paste(t, old, x, y); });
            onInterface(self, [this, round, old] {
                if (round != round_) return;
                before_ = old;
                if (after_.isNull()) after_ = old;
                Q_EMIT updated();
            });
            fill(right, [&](const QImage& tile, int x, int y) {
                onInterface(self, [=, this] {
                    if (round != round_ || after_.isNull()) return;
                    paste(tile, after_, x, y);
                    tilesDone_ = tile.size() == size ? tilesTotal_ : tilesDone_ + 1;
                    Q_EMIT updated();
                });
            });
        } catch (const Cancelled&) {
        } catch (const Error& err) {
            project_.tell(err);
        }
    });
}

} // namespace ulm::app
