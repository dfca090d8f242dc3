#pragma once

#include "app/project/project.h"
#include "app/tasks/background.h"
#include "core/deliver/forecast.h"

#include <QImage>

namespace ulm::app {

/// What a spot shows: both sides of the whole treatment at delivered pixels, and how fresh that is.
struct SpotPicture {
    QImage before, after;
    bool fresh = false;
    double readingBefore = 0, readingAfter = 0;
    Rect region; ///< delivered pixels
};

/// Keeps the Bench's pictures up to date with the current clip, its ticket and its playhead: spots first, then the
/// viewing table tile by tile, then the size forecast. Every change cancels what it makes stale.
class LiveModel : public QObject {
    Q_OBJECT
public:
    explicit LiveModel(Project& project, QObject* parent = nullptr);

    /// Null while no clip is open or its ticket cannot be worked out (then problem() says why).
    const Pipeline* pipeline() const { return pipeline_.get(); }
    const QString& problem() const { return problem_; }

    const std::vector<SpotPicture>& spots() const { return spots_; }
    /// Side of a spot's region in delivered pixels.
    void setSpotSide(int pixels);
    int spotSide() const { return spotSide_; }

    /// The playhead's frame in delivered pixels. `before` is complete or null; `after` fills in tile by tile.
    const QImage& tableBefore() const { return tableBefore_; }
    const QImage& tableAfter() const { return tableAfter_; }
    double tableFresh() const {
        return tilesTotal_ ? double(tilesDone_) / tilesTotal_ : 1;
    } ///< share of `after` that is exact
    /// Where to begin filling in (delivered pixels).
    void setFocus(const QPointF& p) { focus_ = p; }
    /// No table pictures are computed while a clip plays.
    void setPlaying(bool playing);

    const std::optional<Forecast>& forecast() const { return forecast_; }
    /// Where a point of the upright source lies in the delivered picture, and back.
    QPointF toDelivered(double x, double y) const;
    QPointF toSource(const QPointF& delivered) const;

signals:
    void spotsUpdated();
    void tableUpdated();
    void forecastUpdated();
    void pipelineChanged();

private:
    void rebuild();
    void chooseSpots();
    void refreshSpots();
    void refreshTable();
    void refreshForecast();

    Project& project_;
    std::shared_ptr<const Pipeline> pipeline_;
    QString problem_;
    std::vector<SpotPicture> spots_;
    int spotSide_ = 208;
    QImage tableBefore_, tableAfter_;
    int tilesDone_ = 0, tilesTotal_ = 0;
    QPointF focus_;
    bool playing_ = false;
    std::optional<Forecast> forecast_;
    std::uint64_t spotRound_ = 0, tableRound_ = 0, forecastRound_ = 0;
    QTimer tableLater_, forecastLater_;
    LatestWorker spotWorker_, tableWorker_, forecastWorker_; // last: they end before what they use
};

} // namespace ulm::app
