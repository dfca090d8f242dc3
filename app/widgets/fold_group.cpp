#include "app/widgets/fold_group.h"

#include "app/widgets/theme.h"

#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {

FoldGroup::FoldGroup(const QString& heading, const QString& object, QWidget* parent) : QWidget(parent) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 5, 0, 0);
    all->setSpacing(2);
    heading_ = new QToolButton;
    heading_->setObjectName("fold." + object);
    heading_->setText(heading);
    heading_->setFont(words(8.5, true));
    heading_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    heading_->setStyleSheet("QToolButton{border:none;padding:0;text-align:left}");
    heading_->setCursor(Qt::PointingHandCursor);
    heading_->setFocusPolicy(Qt::TabFocus);
    all->addWidget(heading_);
    body_ = new QWidget;
    rows_ = new QVBoxLayout(body_);
    rows_->setContentsMargins(0, 0, 0, 0);
    rows_->setSpacing(2);
    all->addWidget(body_);
    connect(heading_, &QToolButton::clicked, this, [this] {
        byHand_ = true;
        setOpen(!open_);
    });
    setOpen(false);
}

void FoldGroup::setOpen(bool open) {
    open_ = open;
    body_->setVisible(open);
    heading_->setArrowType(open ? Qt::DownArrow : Qt::RightArrow);
    heading_->setAccessibleName(open ? tr("%1, open").arg(heading_->text()) : tr("%1, closed").arg(heading_->text()));
}

void FoldGroup::showIfSet(bool set) {
    if (!byHand_ && set != open_) setOpen(set);
}

} // namespace ulm::app
