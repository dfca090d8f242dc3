#pragma once

#include <QScrollArea>

namespace ulm::app {

/// A row of chips, as wide as they would like to be where there is room, and moved by its bar or the wheel where there
/// is none.
class ChipScroll : public QScrollArea {
    Q_OBJECT
public:
    explicit ChipScroll(QWidget* chips, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;
    bool eventFilter(QObject*, QEvent*) override;

signals:
    void barHeightChanged(int height); ///< 0: all chips are seen

protected:
    void wheelEvent(QWheelEvent*) override;
};

} // namespace ulm::app
