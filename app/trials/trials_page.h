#pragma once

#include "app/trials/trials_model.h"

#include <QScrollArea>
#include <QWidget>

class QLabel;
class QPushButton;
class QToolButton;

namespace ulm::app {

/// The painted grid: a column a candidate, a row a spot. Click a cell to compare it with the untreated one while the
/// button is held (blind: to pick it); click a column's head for its whole frame; its button adopts it.
class TrialsGrid : public QWidget {
    Q_OBJECT
public:
    TrialsGrid(TrialsModel& model, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    /// Where a cell lies; column −1 is the untreated one.
    QRect cellRect(int column, int row) const;
    QRect headRect(int column) const;
    QRect adoptRect(int column) const;
    /// Delivered pixels are shown this many times as large: 1, 2 or 4.
    int zoom() const { return zoom_; }
    void setZoom(int zoom);
    /// One spot alone, its cells as large as the window allows; −1: all spots, a row each.
    int spot() const { return spot_; }
    void setSpot(int spot);

signals:
    void viewChanged();
    void adopted();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    int side() const { return layout().side; }
    struct Layout {
        int side = 0, across = 1; ///< of a cell; columns beside each other, the untreated one among them
    };
    Layout layout() const;
    QPoint corner(int column) const;
    std::vector<int> rows() const; ///< spots that are shown
    TrialsModel& model_;
    int zoom_ = 1, spot_ = -1;
    int heldColumn_ = -1, heldRow_ = -1, chosen_ = 0;
};

/// Candidates against each other on the clip's spots.
class TrialsPage : public QWidget {
    Q_OBJECT
public:
    TrialsPage(Project& project, Live& live, QWidget* parent = nullptr);
    TrialsModel& model() { return *model_; }
    TrialsGrid& grid() { return *grid_; }
    void exportSheet(const QString& path);

signals:
    void adopted();

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void refresh();
    Project& project_;
    TrialsModel* model_;
    TrialsGrid* grid_;
    QLabel *state_, *empty_;
    QToolButton *rank_, *zoom_, *spot_;
    QPushButton *blind_, *save_;
    QScrollArea* scroll_;
};

} // namespace ulm::app
