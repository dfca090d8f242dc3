#pragma once

#include "app/live/live.h"
#include "app/reel/result_reel.h"
#include "core/ticket/between_places.h"
#include "core/ticket/frame_step.h"
#include "core/ticket/motion_step.h"

#include <QHash>
#include <QPixmap>
#include <QWidget>

namespace ulm::app {

/// The clip over time: thumbnails; traces of movement, edge width, noise and loudness; cuts, repeated frames and
/// findings; what is rendered of the result; the playhead and the marked stretches. The wheel zooms in to single
/// frames. Click or drag the thumbnails to move the playhead; drag in the traces to mark a stretch, with Ctrl a further
/// one, with Alt a part that is left out.
class ReelStrip : public QWidget {
    Q_OBJECT
public:
    ReelStrip(Project& project, Live& live, const ResultReel& reel, QWidget* parent = nullptr);
    ~ReelStrip() override;
    int xOfFrame(std::int64_t frame) const;
    std::int64_t frameAtX(int x) const;
    /// Marks frames [a, b] as the ticket's stretch.
    void markStretch(std::int64_t a, std::int64_t b, bool done);
    void clearStretch();
    void clearAllStretches();
    /// The marked stretch is left out of what is delivered; the marked stretches are joined into one, what lies between
    /// them left out; what is left out around an instant of the clip comes back.
    /// The ticket's own stretch stays beside the one that is marked next.
    void keepStretch();
    bool leaveStretchOut(); ///< false where none is marked
    bool joinStretches();   ///< false where there are not two
    void bringBack(double seconds);
    void bringAllBack();
    /// How pictures in between are made in the marked stretch; none: as elsewhere.
    void makeBetween(std::optional<BetweenWay> way);
    /// Sets a speed at an instant of the clip, the one it runs at now; takes one away.
    void addSpeed(double seconds);
    void removeSpeed(int index);
    /// Sets a place of the crop at an instant of the clip, the one it has now; takes one away.
    void addPin(double seconds);
    void removePin(int index);
    /// Where the places of a crop that follows lie, widget pixels, in order of time.
    std::vector<QPointF> pinPoints() const;
    /// Where a speed lies, widget pixels.
    double yOfSpeed(double speed) const;
    int traceTop() const { return 46; }
    /// Seconds that are in sight.
    double viewFrom() const { return from_; }
    double viewTo() const;
    void setView(double from, double to);
    /// The nearest cut after (1) or before (−1) the playhead; the next finding; the worst frame of what is shown.
    void goToCut(int direction);
    void goToFinding(int direction);
    void goToWorst();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    double wholeLength() const;
    int xOf(double seconds) const;
    void loadThumbnails();
    std::vector<std::int64_t> slots_() const; ///< frame of each thumbnail place
    int slotWidth() const;
    std::pair<std::int64_t, std::int64_t> stretchFrames() const;
    /// Every marked stretch, seconds, in order of time.
    std::vector<std::pair<double, double>> marked() const;
    /// Leaves these seconds out, together with what was left out when the drag began.
    void leaveOut(std::int64_t a, std::int64_t b);
    /// A further stretch becomes the ticket's own, and the other way round.
    void activate(std::size_t further);
    void paintThumbnails(QPainter&);
    void paintCropPath(QPainter&, const Delivery&);
    /// Of the crop's path on a frame, y in widget pixels; and the place of the crop's middle, pixels of what is held,
    /// that a y stands for.
    double yOfCrop(const Delivery&, std::int64_t frame) const;
    Point cropAtY(const Delivery&, std::int64_t frame, double y) const;
    int pinUnder(const QPointF&) const; ///< -1: none
    void dragPin(const QPointF& to);
    void paintSteadyPath(QPainter&, const Delivery&);
    void paintStretches(QPainter&);
    void paintLeftOut(QPainter&);
    void paintSpeeds(QPainter&);
    void paintDoubts(QPainter&);
    void paintBetweenPlaces(QPainter&);
    std::vector<SpeedAt> speeds() const; ///< those that act
    void setSpeeds(const std::vector<SpeedAt>&, const QString& stroke = {});
    void dragSpeed(const QPointF& to);
    double speedAtY(double y) const;
    int speedUnder(const QPointF&) const; ///< -1: none
    void paintTraces(QPainter&, const Inspection&);
    void paintFoot(QPainter&);
    int traceBottom() const { return height() - 18; }

    Project& project_;
    Live& live_;
    const ResultReel& reel_;
    QString shown_;                          ///< path whose thumbnails these are
    QHash<std::int64_t, QImage> thumbnails_; ///< by frame
    double from_ = 0, to_ = 0;               ///< seconds in sight; to_ 0: all
    QPixmap traces_;
    QString tracesOf_; ///< what they were painted from
    std::uint64_t round_ = 0;
    enum class Drag { None, Playhead, Mark, LeaveOut, Speed, Pin } drag_ = Drag::None;
    std::int64_t anchor_ = 0;
    std::string outBefore_; ///< what was left out when a drag began
    std::vector<SpeedAt> speedsBefore_;
    std::size_t speedDragged_ = 0;
    std::vector<FramePin> pinsBefore_;
    std::size_t pinDragged_ = 0;
    LatestWorker worker_;
};

} // namespace ulm::app
