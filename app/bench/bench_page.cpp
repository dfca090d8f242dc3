#include "app/bench/bench_page.h"

#include "app/bench/clip_shelf.h"
#include "app/bench/player.h"
#include "app/bench/reel_strip.h"
#include "app/bench/spots_column.h"
#include "app/bench/target_chips.h"
#include "app/bench/ticket_sheet.h"
#include "app/bench/viewing_table.h"
#include "app/widgets/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {

BenchPage::BenchPage(Project& project, QWidget* parent) : QWidget(parent), project_(project) {
    live_ = new LiveModel(project, this);
    player_ = new Player(project, this);
    setFocusPolicy(Qt::StrongFocus);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* shelf = new ClipShelf(project);
    connect(shelf, &ClipShelf::filesWanted, this, &BenchPage::filesWanted);
    all->addWidget(shelf);
    auto* middle = new QHBoxLayout;
    middle->setContentsMargins(14, 0, 14, 0);
    middle->setSpacing(12);
    ticket_ = new TicketSheet(project, *live_);
    middle->addWidget(ticket_);
    auto* centre = new QVBoxLayout;
    centre->setSpacing(8);
    table_ = new TablePanel(project, *live_);
    centre->addWidget(table_, 1);
    auto* strip = new QHBoxLayout;
    strip->setSpacing(6);
    auto* play = new QToolButton;
    play->setObjectName("play");
    play->setFixedSize(30, 98);
    play->setToolTip(tr("Play or pause the original, with sound (Space)"));
    play->setAccessibleName(tr("Play or pause"));
    const auto showState = [play](bool playing) { play->setIcon(icon(playing ? "pause" : "play", Theme::now().ink)); };
    showState(false);
    connect(&project, &Project::currentChanged, play, [=, this] { showState(player_->playing()); });
    connect(play, &QToolButton::clicked, player_, &Player::toggle);
    connect(player_, &Player::stateChanged, this, [this, showState](bool playing) {
        showState(playing);
        live_->setPlaying(playing);
    });
    connect(player_, &Player::picture, &table_->table(), &ViewingTable::showPlaying);
    reel_ = new ReelStrip(project, *live_);
    strip->addWidget(play);
    strip->addWidget(reel_, 1);
    centre->addLayout(strip);
    middle->addLayout(centre, 1);
    middle->addWidget(new SpotsColumn(project, *live_));
    all->addLayout(middle, 1);
    auto* targets = new TargetBar(project, *live_);
    connect(targets, &TargetBar::runWanted, this, &BenchPage::runWanted);
    all->addWidget(targets);
    connect(&table_->table(), &ViewingTable::spotWanted, this, &BenchPage::addSpot);
    connect(&table_->table(), &ViewingTable::cropDragged, this, &BenchPage::dragCrop);
}

void BenchPage::addSpot(const QPointF& d) {
    const ClipEntry* c = project_.currentClip();
    if (!c) return;
    auto spots = c->spots;
    const QPointF s = live_->toSource(d);
    if (spots.size() >= 4) spots.pop_back();
    spots.push_back({"Yours", c->playhead, s.x(), s.y()});
    project_.setSpots(spots);
}

void BenchPage::dragCrop(const QPointF& by, bool done) {
    const ClipEntry* c = project_.currentClip();
    const Pipeline* p = live_->pipeline();
    if (done) return project_.endStroke();
    if (!c || !p || !c->ticket.frame.on || c->ticket.frame.fill != "crop") return;
    const VideoFacts& v = c->clip->facts().video;
    const FramingPlan& f = p->plan;
    const double scale = f.w / f.srcW, roomX = (v.width - f.srcW) * scale, roomY = (v.height - f.srcH) * scale;
    Ticket t = c->ticket;
    if (roomX > 1) t.frame.x = std::clamp(t.frame.x - by.x() / roomX, 0.0, 1.0);
    if (roomY > 1) t.frame.y = std::clamp(t.frame.y - by.y() / roomY, 0.0, 1.0);
    project_.change(t, "crop");
}

void BenchPage::markEnd(bool end) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    const std::int64_t last = c->clip->frameCount() - 1, here = c->playhead;
    std::int64_t a = 0, b = last;
    if (c->ticket.stretch.on)
        a = c->clip->frameAt(c->ticket.stretch.from), b = c->clip->frameAt(c->ticket.stretch.to - 1e-4);
    if (end)
        b = here, a = std::min(a, b);
    else
        a = here, b = a > b ? last : b;
    reel_->markStretch(a, b, true);
}

void BenchPage::keyPressEvent(QKeyEvent* e) {
    if (!handleKey(*e)) QWidget::keyPressEvent(e);
}

bool BenchPage::handleKey(const QKeyEvent& e) {
    const ClipEntry* c = project_.currentClip();
    ViewingTable& table = table_->table();
    const auto step = [&](std::int64_t by) {
        if (!c) return;
        player_->pause();
        project_.setPlayhead(c->playhead + by);
    };
    switch (e.key()) {
    case Qt::Key_Space: player_->toggle(); break;
    case Qt::Key_Comma:
    case Qt::Key_Left: step(e.modifiers() & Qt::ShiftModifier ? -10 : -1); break;
    case Qt::Key_Period:
    case Qt::Key_Right: step(e.modifiers() & Qt::ShiftModifier ? 10 : 1); break;
    case Qt::Key_Home: step(-(std::int64_t(1) << 40)); break;
    case Qt::Key_End: step(std::int64_t(1) << 40); break;
    case Qt::Key_I: markEnd(false); break;
    case Qt::Key_O: markEnd(true); break;
    case Qt::Key_X: reel_->clearStretch(); break;
    case Qt::Key_W: table.setCompare(ViewingTable::Compare::Wipe); break;
    case Qt::Key_E: table.setCompare(ViewingTable::Compare::Pair); break;
    case Qt::Key_R: table.setCompare(ViewingTable::Compare::Flip); break;
    case Qt::Key_0: table.setZoom(0); break;
    case Qt::Key_1: table.setZoom(1); break;
    case Qt::Key_2: table.setZoom(2); break;
    case Qt::Key_F:
        if (!e.isAutoRepeat()) table.setFlipped(true);
        break;
    default: return false;
    }
    return true;
}

void BenchPage::keyReleaseEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_F && !e->isAutoRepeat())
        table_->table().setFlipped(false);
    else
        QWidget::keyReleaseEvent(e);
}

} // namespace ulm::app
