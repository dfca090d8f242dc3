#pragma once

#include "app/live/live.h"

#include <QWidget>

namespace ulm::app {

/// The large picture and its comparisons. Wipe: a divider at any angle, before on its left. Pair: two pictures with
/// locked zoom and pan. Flip: the right side, and the left one while F or the mouse button is held. Difference: what
/// separates the two, amplified around mid grey.
class ViewingTable : public QWidget {
    Q_OBJECT
public:
    enum class Compare { Wipe, Pair, Flip, Difference };
    static constexpr double kFit = 0, kPhone = -1;
    ViewingTable(Project& project, Live& live, QWidget* parent = nullptr);

    void setCompare(Compare);
    Compare compare() const { return compare_; }
    /// kFit; kPhone: the picture at the physical size of a phone; else delivered pixels times this are device pixels.
    void setZoom(double zoom);
    double zoom() const { return zoom_; }
    void setFlipped(bool original);
    bool flipped() const { return flipped_; }
    double divider() const { return divider_; } ///< share of the way across the picture
    /// Degrees by which the divider is turned clockwise from upright, (−180, 180]: the before side turns with it.
    void setWipeAngle(double degrees);
    double wipeAngle() const { return angle_; }
    /// How many times differences are amplified.
    void setGain(int gain);
    int gain() const { return gain_; }
    void setSafeAreas(bool on);
    bool safeAreas() const { return safeAreas_; }
    /// Height of a phone's screen in device pixels of this screen.
    void setPhoneHeight(double pixels);
    double phoneHeight() const { return phoneHeight_; }

    /// The next click says which place is meant, told by `words` meanwhile; Esc or empty words: none is wanted.
    void askForPlace(const QString& words);
    bool askingForPlace() const { return !asking_.isEmpty(); }
    /// Words over the picture while something is done for it; empty: no more.
    void tell(const QString& words);
    void hint(const QString& words); ///< the same, for a while
    bool isTelling() const { return !telling_.isEmpty(); }
    const QString& told() const { return telling_; }

    /// While a clip plays: its picture; `delivered` tells an upright source picture from a rendered result. Null to
    /// return to the playhead's frame.
    void showPlaying(const QImage& picture, bool delivered, const QString& words);
    /// Where the (right-hand) picture lies in the widget, and which delivered point a widget point shows.
    QRectF pictureRect() const;
    QPointF deliveredAt(const QPointF& widget) const;
    /// The navigator's box; empty where the whole picture is in sight.
    QRectF navigatorRect() const;
    /// The knob that turns the divider.
    QPointF wipeKnob() const;
    /// What the overlay says of the block under this point: "12 → 3"; empty where it says nothing.
    QString faultAt(const QPointF& widget) const;

signals:
    void compareChanged();
    void zoomChanged();
    void optionsChanged();
    void spotWanted(const QPointF& delivered);
    void placeChosen(const QPointF& delivered);
    /// `from`: where the drag began, delivered pixels.
    void cropDragged(const QPointF& deliveredDelta, const QPointF& from, bool done);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void leaveEvent(QEvent*) override;

private:
    std::vector<QRectF> panes() const;
    QRectF pictureIn(const QRectF& pane) const;
    double scale() const;
    void panTo(const QPointF& delivered);
    // The divider: the points p with (p − centre) · normal = reach.
    QPointF wipeNormal() const;
    double wipeExtent() const;
    double wipeDistance(const QPointF& widget) const;
    QPolygonF beforeSide() const;
    const QImage& differencePicture();

    void paintPlaying(QPainter&);
    void paintComparison(QPainter&);
    void paintPicture(QPainter&, const QRectF& pane, const QImage& image);
    void paintFault(QPainter&, const QRectF& pane, bool before);
    void paintPaths(QPainter&, const QRectF& pane);
    void paintLegend(QPainter&);
    void paintFaces(QPainter&, const QRectF& picture);
    void paintMarks(QPainter&, const QRectF& picture);
    void paintSafeAreas(QPainter&, const QRectF& picture);
    void paintNavigator(QPainter&);
    void paintClock(QPainter&);
    void paintLabels(QPainter&);

    Project& project_;
    Live& live_;
    Compare compare_ = Compare::Wipe;
    bool chosenByHand_ = false;
    double zoom_ = 0, divider_ = 0.5, angle_ = 0, phoneHeight_ = 0;
    int gain_ = 8;
    bool safeAreas_ = false;
    QPointF pan_; ///< delivered pixels away from the centre
    bool flipped_ = false;
    enum class Drag { None, Divider, Turn, Pan, Crop, Flip, Navigator } drag_ = Drag::None;
    QPointF last_, pointer_{-1, -1}, dragFrom_;
    QImage playing_;
    bool playingDelivered_ = false;
    QString playingWords_, asking_, telling_;
    QImage difference_;
    std::uint64_t differenceOf_ = 0;
};

/// "Original", "Result", …
QString viewName(View);

} // namespace ulm::app
