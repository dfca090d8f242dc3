#pragma once

#include <QWidget>
#include <vector>

class QHBoxLayout;

namespace ulm::app {

/// Groups of buttons side by side, the first at the left and the last at the right; on lines of their own where there
/// is no room. It is as narrow as its widest group.
class TableBar : public QWidget {
    Q_OBJECT
public:
    explicit TableBar(QWidget* parent = nullptr);
    QHBoxLayout* addGroup(); ///< buttons are added to it
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

protected:
    void resizeEvent(QResizeEvent*) override;
    bool event(QEvent*) override;

private:
    void arrange();
    std::vector<QWidget*> groups_;
};

} // namespace ulm::app
