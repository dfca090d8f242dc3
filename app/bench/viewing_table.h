#pragma once

#include "app/bench/live_model.h"

#include <QWidget>

namespace ulm::app {

/// The large picture and its comparisons. Wipe: a divider, before left of it. Pair: two pictures with locked zoom and
/// pan. Flip: the result, and the original while F or the mouse button is held.
class ViewingTable : public QWidget {
    Q_OBJECT
public:
    enum class Compare { Wipe, Pair, Flip };
    ViewingTable(Project& project, LiveModel& live, QWidget* parent = nullptr);

    void setCompare(Compare);
    Compare compare() const { return compare_; }
    /// 0: fit; else delivered pixels times this are device pixels.
    void setZoom(double zoom);
    double zoom() const { return zoom_; }
    void setFlipped(bool original);
    bool flipped() const { return flipped_; }
    double divider() const { return divider_; } ///< share of the picture's width
    /// While a clip plays: its original picture, upright; null to return to the playhead's frame.
    void showPlaying(const QImage& source);
    /// Where the (right-hand) picture lies in the widget, and which delivered point a widget point shows.
    QRectF pictureRect() const;
    QPointF deliveredAt(const QPointF& widget) const;

signals:
    void compareChanged();
    void zoomChanged();
    void flippedChanged();
    void spotWanted(const QPointF& delivered);
    void cropDragged(const QPointF& deliveredDelta, bool done);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    std::vector<QRectF> panes() const;
    QRectF pictureIn(const QRectF& pane) const;
    double scale() const;
    void panTo(const QPointF& delivered);
    void paintPicture(QPainter&, const QRectF& pane, bool before);
    void paintMarks(QPainter&, const QRectF& picture);
    void paintClock(QPainter&);

    Project& project_;
    LiveModel& live_;
    Compare compare_ = Compare::Wipe;
    bool chosenByHand_ = false;
    double zoom_ = 0, divider_ = 0.5;
    QPointF pan_; ///< delivered pixels away from the centre
    bool flipped_ = false;
    enum class Drag { None, Divider, Pan, Crop, Flip } drag_ = Drag::None;
    QPointF last_;
    QImage playing_;
};

/// The table with its bar of comparisons and zooms.
class TablePanel : public QWidget {
    Q_OBJECT
public:
    TablePanel(Project& project, LiveModel& live, QWidget* parent = nullptr);
    ViewingTable& table() { return *table_; }

private:
    ViewingTable* table_;
};

} // namespace ulm::app
