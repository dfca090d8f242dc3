#pragma once

#include "app/live/delivery_model.h"
#include "app/live/other_clip.h"
#include "app/tasks/background.h"

#include <QImage>
#include <QTimer>
#include <functional>

namespace ulm::app {

/// What one side of the viewing table shows.
enum class View {
    Original, ///< the clip in the delivered shape, untreated
    Result,   ///< what the ticket makes of it
    Kept,     ///< what the kept ticket makes of it
    Encoded   ///< the result after its encode
};

/// Keeps the viewing table's pictures up to date: the playhead's frame in delivered pixels, filled in tile by tile.
class TableModel : public QObject {
    Q_OBJECT
public:
    /// plannedCrf: how the encoded view is encoded.
    TableModel(Project& project, DeliveryModel& deliveries, std::function<double()> plannedCrf,
               QObject* parent = nullptr);

    /// What the left and the right side show. `before` is complete or null; `after` fills in tile by tile. Both belong
    /// to the current clip.
    const QImage& before() const { return before_; }
    const QImage& after() const { return after_; }
    double fresh() const {
        return tilesTotal_ ? double(tilesDone_) / tilesTotal_ : 1;
    } ///< share of `after` that is exact
    void setViews(View left, View right);
    View leftView() const { return left_; }
    View rightView() const { return right_; }
    /// Where to begin filling in (delivered pixels).
    void setFocus(const QPointF& p) { focus_ = p; }
    /// No pictures are computed while a clip plays.
    void setPlaying(bool playing);
    bool busy() const { return worker_.busy(); }

signals:
    void updated();
    void viewsChanged();

private:
    void refresh();
    void forget();

    Project& project_;
    DeliveryModel& deliveries_;
    std::function<double()> plannedCrf_;
    OtherClip other_;
    QImage before_, after_;
    View left_ = View::Original, right_ = View::Result;
    int tilesDone_ = 0, tilesTotal_ = 0;
    QPointF focus_;
    bool playing_ = false;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_; // last: it ends before what it uses
};

} // namespace ulm::app
