#pragma once

#include <QWidget>

class QToolButton;
class QVBoxLayout;

namespace ulm::app {

/// Rows under a heading that folds them away by a click, or by Space where it has the focus.
class FoldGroup : public QWidget {
    Q_OBJECT
public:
    FoldGroup(const QString& heading, const QString& object, QWidget* parent = nullptr);
    QVBoxLayout* rows() { return rows_; }
    bool isOpen() const { return open_; }
    void setOpen(bool open);
    /// Opens it where something in it is set, until a person opened or closed it by hand.
    void showIfSet(bool set);

private:
    QToolButton* heading_;
    QWidget* body_;
    QVBoxLayout* rows_;
    bool open_ = true, byHand_ = false;
};

} // namespace ulm::app
