#include "app/table/table_bar.h"

#include <QEvent>
#include <QHBoxLayout>
#include <algorithm>

namespace ulm::app {
namespace {

constexpr int kMargin = 6, kApart = 6;

} // namespace

TableBar::TableBar(QWidget* parent) : QWidget(parent) {
    setObjectName("tableBar");
    setAttribute(Qt::WA_StyledBackground);
}

QHBoxLayout* TableBar::addGroup() {
    auto* group = new QWidget(this);
    groups_.push_back(group);
    auto* row = new QHBoxLayout(group);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(1);
    return row;
}

QSize TableBar::sizeHint() const {
    int wide = 2 * kMargin, high = 0;
    for (const QWidget* g : groups_) {
        wide += g->sizeHint().width() + (g == groups_.front() ? 0 : kApart);
        high = std::max(high, g->sizeHint().height());
    }
    return {wide, high};
}

QSize TableBar::minimumSizeHint() const {
    int wide = 0;
    for (const QWidget* g : groups_) wide = std::max(wide, g->sizeHint().width());
    return {wide + 2 * kMargin, sizeHint().height()};
}

void TableBar::resizeEvent(QResizeEvent*) { arrange(); }

bool TableBar::event(QEvent* e) {
    if (e->type() == QEvent::LayoutRequest) { // a button's words have changed
        arrange();
        updateGeometry();
    }
    return QWidget::event(e);
}

void TableBar::arrange() {
    const int room = width() - 2 * kMargin, high = sizeHint().height();
    int top = 0;
    for (std::size_t first = 0; first < groups_.size();) {
        int taken = groups_[first]->sizeHint().width();
        std::size_t past = first + 1;
        for (; past < groups_.size() && taken + kApart + groups_[past]->sizeHint().width() <= room; ++past)
            taken += kApart + groups_[past]->sizeHint().width();
        const int gaps = static_cast<int>(past - first) - 1;
        const int apart = gaps ? kApart + (room - taken) / gaps : 0;
        for (int x = kMargin; first < past; ++first) {
            const int wide = groups_[first]->sizeHint().width();
            groups_[first]->setGeometry(x, top, wide, high);
            x += wide + apart;
        }
        top += high;
    }
    setFixedHeight(std::max(top, high));
}

} // namespace ulm::app
