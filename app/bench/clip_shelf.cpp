#include "app/bench/clip_shelf.h"

#include "app/widgets/theme.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <cmath>

namespace ulm::app {
namespace {

// The most telling finding in two words.
QString finding(const ClipEntry& c) {
    if (!c.problem.isEmpty()) return ClipCard::tr("cannot be opened");
    if (!c.clip) return ClipCard::tr("opening…");
    if (!c.inspection)
        return c.inspecting > 0 ? ClipCard::tr("looking %1 %").arg(std::lround(c.inspecting * 100))
                                : ClipCard::tr("waiting");
    const Inspection& i = *c.inspection;
    if (i.readings.blocking >= 3) return ClipCard::tr("blocky %1").arg(std::lround(i.readings.blocking));
    if (i.readings.noise >= 1.5) return ClipCard::tr("noisy %1").arg(i.readings.noise, 0, 'f', 1);
    if (i.duplicates.size() > static_cast<std::size_t>(c.clip->frameCount() / 20))
        return ClipCard::tr("%1 repeats").arg(i.duplicates.size());
    if (i.readings.softness >= 7) return ClipCard::tr("soft %1 px").arg(i.readings.softness, 0, 'f', 1);
    return ClipCard::tr("clean");
}

} // namespace

ClipCard::ClipCard(int index, Project& project, QWidget* parent) : QWidget(parent), index_(index), project_(project) {
    setObjectName(QString("clip.%1").arg(project.at(index).name()));
    setAccessibleName(project.at(index).name());
    setFixedSize(166, 48);
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::TabFocus);
    setToolTip(project.at(index).path);
}

void ClipCard::paintEvent(QPaintEvent*) {
    if (index_ >= project_.count()) return;
    const Theme& t = Theme::now();
    const ClipEntry& c = project_.at(index_);
    const bool current = index_ == project_.current();
    QPainter p(this);
    if (current) {
        p.fillRect(rect(), t.paper);
        p.fillRect(QRect(0, height() - 3, width(), 3), t.elm);
    }
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    const QRect box(4, 4, 58, 38);
    p.fillRect(box, t.surround);
    if (!c.thumbnail.isNull()) {
        const QImage s = c.thumbnail.scaled(box.size() * devicePixelRatioF(), Qt::KeepAspectRatioByExpanding,
                                            Qt::SmoothTransformation);
        const QSize cut = box.size() * devicePixelRatioF();
        p.drawImage(box, s,
                    QRect((s.width() - cut.width()) / 2, (s.height() - cut.height()) / 2, cut.width(), cut.height()));
    }
    p.setPen(t.ink);
    p.setFont(words(9, true));
    p.drawText(QRect(70, 5, width() - 74, 18), Qt::AlignVCenter,
               p.fontMetrics().elidedText(c.name(), Qt::ElideRight, width() - 74));
    p.setFont(words(8));
    const QString seconds = c.clip ? QString("%1 s · ").arg(c.clip->facts().duration, 0, 'f', 1) : QString();
    p.drawText(QRect(70, 23, width() - 72, 16), Qt::AlignVCenter,
               p.fontMetrics().elidedText(seconds + finding(c), Qt::ElideRight, width() - 74));
}

void ClipCard::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) project_.setCurrent(index_);
}

void ClipCard::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Space)
        project_.setCurrent(index_);
    else if (e->key() == Qt::Key_Delete)
        project_.remove(index_);
    else
        QWidget::keyPressEvent(e);
}

void ClipCard::contextMenuEvent(QContextMenuEvent* e) {
    QMenu menu(this);
    menu.addAction(tr("Take off the shelf"), this, [this] { project_.remove(index_); });
    menu.exec(e->globalPos());
}

ClipShelf::ClipShelf(Project& project, QWidget* parent) : QWidget(parent), project_(project) {
    setObjectName("clipShelf");
    setFixedHeight(58);
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(14, 4, 14, 4);
    scroll_ = new QScrollArea;
    scroll_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setWidgetResizable(true);
    row_ = new QWidget;
    cards_ = new QHBoxLayout(row_);
    cards_->setContentsMargins(0, 0, 0, 0);
    cards_->setSpacing(6);
    cards_->setAlignment(Qt::AlignLeft);
    scroll_->setWidget(row_);
    all->addWidget(scroll_, 1);
    auto* add = new QPushButton(tr("Add clips"));
    add->setObjectName("addClips");
    add->setToolTip(tr("Choose clips (Ctrl+O), or drop them anywhere"));
    connect(add, &QPushButton::clicked, this, &ClipShelf::filesWanted);
    all->addWidget(add);
    connect(&project_, &Project::shelfChanged, this, &ClipShelf::refresh);
    connect(&project_, &Project::currentChanged, this, &ClipShelf::refresh);
    connect(&project_, &Project::inspectionChanged, row_, qOverload<>(&QWidget::update));
    refresh();
}

void ClipShelf::refresh() {
    QStringList paths;
    for (int i = 0; i < project_.count(); ++i) paths << project_.at(i).path;
    if (paths != paths_) { // else only what they show has changed
        paths_ = paths;
        while (QLayoutItem* item = cards_->takeAt(0)) {
            item->widget()->setObjectName({});
            item->widget()->hide();
            item->widget()->deleteLater(); // one of them may be handling the click that led here
            delete item;
        }
        for (int i = 0; i < project_.count(); ++i) cards_->addWidget(new ClipCard(i, project_));
    }
    for (auto* card : row_->findChildren<ClipCard*>()) card->update();
    row_->setMinimumWidth(project_.count() * 172);
    if (project_.current() >= 0 && shown_ != project_.current()) {
        shown_ = project_.current();
        scroll_->ensureVisible(shown_ * 172 + 86, 20, 100, 0);
    }
}

} // namespace ulm::app
