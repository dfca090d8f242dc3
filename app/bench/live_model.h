#pragma once

#include "app/project/project.h"
#include "app/tasks/background.h"
#include "core/deliver/forecast.h"

#include <QImage>

namespace ulm::app {

/// What a spot shows: both sides of the whole treatment at delivered pixels, and how fresh that is.
struct SpotPicture {
    QImage before, after;
    std::vector<QImage> loopBefore, loopAfter; ///< a few frames around it, for spots that watch movement
    bool fresh = false;
    double readingBefore = 0, readingAfter = 0;
    Rect region; ///< delivered pixels
};

/// What one side of the viewing table shows.
enum class View {
    Original, ///< the clip in the delivered shape, untreated
    Result,   ///< what the ticket makes of it
    Kept,     ///< what the kept ticket makes of it
    Encoded   ///< the result after its encode
};

/// One fault over the whole frame, before and after Clean, for the overlay.
struct FaultView {
    QString key;             ///< a reading's, or "face", "text", "overlay", "overdone"
    bool mapped = false;     ///< it lies somewhere: there are maps
    double from = 0, to = 1; ///< readings between which its heat runs
    FaultMap before, after;  ///< upright source pixels
    double readingBefore = 0, readingAfter = 0;
    std::vector<Mark> marks; ///< for what has boxes instead of a map
    bool fresh = false;
};

/// Keeps the Bench's pictures up to date with the current clip, its ticket and its playhead: spots first, then the
/// viewing table tile by tile, then the size forecast. Every change cancels what it makes stale.
class LiveModel : public QObject {
    Q_OBJECT
public:
    explicit LiveModel(Project& project, QObject* parent = nullptr);

    /// Null while no clip is open or its ticket cannot be worked out (then problem() says why).
    const Pipeline* pipeline() const { return pipeline_.get(); }
    std::shared_ptr<const Pipeline> sharedPipeline() const { return pipeline_; }
    const QString& problem() const { return problem_; }

    const std::vector<SpotPicture>& spots() const { return spots_; }
    /// Side of the region of spot `index`, delivered pixels.
    void setSpotSize(std::size_t index, const QSize& pixels);
    int spotSide() const { return spotSizes_.empty() ? 208 : spotSizes_[0].width(); }

    /// The playhead's frame in delivered pixels: what the left and the right side show. `before` is complete or null;
    /// `after` fills in tile by tile.
    const QImage& tableBefore() const { return tableBefore_; }
    const QImage& tableAfter() const { return tableAfter_; }
    double tableFresh() const {
        return tilesTotal_ ? double(tilesDone_) / tilesTotal_ : 1;
    } ///< share of `after` that is exact
    void setViews(View left, View right);
    View leftView() const { return left_; }
    View rightView() const { return right_; }
    /// Where to begin filling in (delivered pixels).
    void setFocus(const QPointF& p) { focus_ = p; }
    /// No table pictures are computed while a clip plays.
    void setPlaying(bool playing);
    bool busy() const { return spotWorker_.busy() || tableWorker_.busy() || forecastWorker_.busy(); }

    /// The step whose controls are open, by its ticket key; empty: none.
    void setStep(const QString& key);
    const QString& step() const { return step_; }

    /// Shows a fault over the picture; empty: none.
    void setFault(const QString& key);
    const QString& fault() const { return faultKey_; }
    const FaultView& faultView() const { return faultView_; }

    const std::optional<Forecast>& forecast() const { return forecast_; }
    /// The constant rate factor with which the movie would be encoded now, under the ticket's or the first chosen
    /// target's size limit.
    double plannedCrf() const;
    /// Where a point of the upright source lies in the delivered picture, and back.
    QPointF toDelivered(double x, double y) const;
    QPointF toSource(const QPointF& delivered) const;
    static QPointF deliveredOf(const Pipeline&, double x, double y);
    /// The pipeline of another ticket on the current clip; null where it cannot be worked out.
    std::shared_ptr<const Pipeline> pipelineFor(const Ticket& ticket) const;

signals:
    void spotsUpdated();
    void tableUpdated();
    void forecastUpdated();
    void pipelineChanged();
    void faultUpdated();
    void viewsChanged();
    void stepChanged();
    void choiceWanted(); ///< spots shall be chosen by the readings again

private:
    void rebuild();
    /// Opens the person's own network of the current ticket off the interface thread; false where it is open already
    /// or there is none. rebuild() follows, once.
    bool openingNetwork();
    void chooseSpots();
    void refreshSpots();
    void refreshTable();
    void refreshForecast();
    void refreshFault();
    void showOverdone(const Pipeline&, std::int64_t frame, double noise, const CancelToken&, FaultView&);
    void report(const Error& e);

    Project& project_;
    std::shared_ptr<const Pipeline> pipeline_;
    QString problem_;
    std::vector<SpotPicture> spots_;
    std::vector<QSize> spotSizes_;
    QImage tableBefore_, tableAfter_;
    View left_ = View::Original, right_ = View::Result;
    int tilesDone_ = 0, tilesTotal_ = 0;
    QPointF focus_;
    bool playing_ = false;
    QString step_, faultKey_;
    FaultView faultView_;
    std::string tried_; // the network that was just opened, or could not be
    std::optional<Forecast> forecast_;
    std::uint64_t spotRound_ = 0, tableRound_ = 0, forecastRound_ = 0, faultRound_ = 0;
    QTimer tableLater_, forecastLater_, faultLater_;
    LatestWorker spotWorker_, tableWorker_, forecastWorker_, faultWorker_; // last: they end before what they use
};

} // namespace ulm::app
