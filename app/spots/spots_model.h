#pragma once

#include "app/live/delivery_model.h"
#include "app/live/other_clip.h"
#include "app/tasks/background.h"

#include <QImage>
#include <QSize>

namespace ulm::app {

/// What a spot shows: both sides of the whole treatment at delivered pixels, and how fresh that is.
struct SpotPicture {
    QImage before, after;
    std::vector<QImage> loopBefore, loopAfter; ///< a few frames around it, for spots that watch movement
    bool fresh = false;
    double readingBefore = 0, readingAfter = 0;
    Rect region; ///< delivered pixels
};

/// Keeps the spots' pictures up to date: first of all that is computed.
class SpotsModel : public QObject {
    Q_OBJECT
public:
    SpotsModel(Project& project, DeliveryModel& deliveries, QObject* parent = nullptr);

    const std::vector<SpotPicture>& pictures() const { return pictures_; }
    bool fresh() const; ///< there are some, and all are exact
    /// Side of the region of spot `index`, delivered pixels.
    void setSize(std::size_t index, const QSize& pixels);
    /// The frame that a spot shows, of the clip.
    std::int64_t frameOf(const Spot& s) const;
    bool busy() const { return worker_.busy(); }
    /// Spots shall be chosen by the readings again.
    void choose();

signals:
    void updated();

private:
    void refresh();
    void forget(); ///< nothing of another clip is shown
    int side() const { return sizes_.empty() ? 208 : sizes_[0].width(); }

    Project& project_;
    DeliveryModel& deliveries_;
    OtherClip other_;
    std::vector<SpotPicture> pictures_;
    std::vector<QSize> sizes_;
    std::uint64_t round_ = 0;
    LatestWorker worker_; // last: it ends before what it uses
};

} // namespace ulm::app
