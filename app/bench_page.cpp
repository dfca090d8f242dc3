#include "app/bench_page.h"

#include "app/reel/reel_strip.h"
#include "app/reel/result_reel.h"
#include "app/shelf/clip_shelf.h"
#include "app/spots/scopes_view.h"
#include "app/spots/spots_column.h"
#include "app/table/player.h"
#include "app/table/shapes_strip.h"
#include "app/table/table_panel.h"
#include "app/targets/target_chips.h"
#include "app/tasks/background.h"
#include "app/ticket/overdone_model.h"
#include "app/ticket/ticket_sheet.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/base/files.h"
#include "core/inspect/pursuit.h"
#include "core/inspect/subject.h"
#include "core/pipeline/look.h"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace ulm::app {

BenchPage::BenchPage(Project& project, QWidget* parent) : QWidget(parent), project_(project) {
    live_ = new Live(project, this);
    results_ = new ResultReel(project, *live_, this);
    player_ = new Player(project, *results_, this);
    setFocusPolicy(Qt::StrongFocus);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    shelf_ = new ClipShelf(project);
    connect(shelf_, &ClipShelf::filesWanted, this, &BenchPage::filesWanted);
    connect(shelf_, &ClipShelf::runsWanted, this, &BenchPage::runsWanted);
    all->addWidget(shelf_);
    auto* middle = new QHBoxLayout;
    middle->setContentsMargins(14, 0, 14, 0);
    middle->setSpacing(12);
    overdone_ = new OverdoneModel(project, *live_, this);
    ticket_ = new TicketSheet(project, *live_, *overdone_);
    middle->addWidget(ticket_);
    auto* centre = new QVBoxLayout;
    centre->setSpacing(8);
    table_ = new TablePanel(project, *live_);
    centre->addWidget(table_, 1);
    auto* strip = new QHBoxLayout;
    strip->setSpacing(6);
    auto* play = new QToolButton;
    play->setObjectName("play");
    play->setFixedSize(30, 60);
    play->setToolTip(tr("Play or pause the original, with sound (Space)"));
    play->setAccessibleName(tr("Play or pause"));
    auto* result = new QToolButton;
    result->setObjectName("playResult");
    result->setFixedSize(30, 60);
    result->setToolTip(tr("Play what is rendered of the result, round and round (Shift+Space)"));
    result->setAccessibleName(tr("Play the result"));
    result->setText(tr("R"));
    result->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
    const auto showState = [play, result](bool playing) {
        play->setIcon(icon(playing ? "pause" : "play", Theme::now().ink));
        result->setIcon(icon(playing ? "pause" : "play", Theme::now().ink));
    };
    showState(false);
    connect(&project, &Project::currentChanged, play, [=, this] { showState(player_->playing()); });
    connect(play, &QToolButton::clicked, player_, &Player::toggle);
    connect(result, &QToolButton::clicked, this, &BenchPage::toggleResult);
    connect(player_, &Player::stateChanged, this, [this, showState](bool playing) {
        showState(playing);
        live_->setPlaying(playing);
    });
    connect(player_, &Player::picture, &table_->table(), &ViewingTable::showPlaying);
    reel_ = new ReelStrip(project, *live_, *results_);
    auto* buttons = new QVBoxLayout;
    buttons->setSpacing(2);
    buttons->addWidget(play);
    buttons->addWidget(result);
    strip->addLayout(buttons);
    strip->addWidget(reel_, 1);
    centre->addLayout(strip);
    middle->addLayout(centre, 1);
    auto* right = new QVBoxLayout;
    right->setSpacing(8);
    scopes_ = new ScopesView(*live_);
    scopes_->hide();
    right->addWidget(scopes_);
    spots_ = new SpotsColumn(project, *live_);
    right->addWidget(spots_, 1);
    middle->addLayout(right);
    all->addLayout(middle, 1);
    targets_ = new TargetBar(project, *live_);
    connect(targets_, &TargetBar::runWanted, this, &BenchPage::runWanted);
    all->addWidget(targets_);
    connect(table_, &TablePanel::scopesWanted, this, [this] { scopes_->setVisible(!scopes_->isVisible()); });
    connect(table_, &TablePanel::fullScreenWanted, this, [this] { setFullTable(!fullTable_); });
    connect(&table_->table(), &ViewingTable::spotWanted, this, &BenchPage::addSpot);
    connect(&table_->table(), &ViewingTable::cropDragged, this, &BenchPage::dragCrop);
    connect(ticket_, &TicketSheet::greyWanted, this, [this] {
        askForPlace(tr("Click on something that ought to be grey or white. Esc: leave it."), &BenchPage::makeGrey);
    });
    connect(ticket_, &TicketSheet::matchWanted, this, &BenchPage::matchTo);
    connect(ticket_, &TicketSheet::lookWanted, this, &BenchPage::saveLook);
    connect(ticket_, &TicketSheet::subjectWanted, this, [this] {
        askForPlace(tr("Click on what the crop is to follow through this shot. Esc: leave it."),
                    &BenchPage::followFrom);
    });
    connect(&project_, &Project::currentChanged, this, &BenchPage::stopFollowing); // of the clip that was there
    connect(&table_->table(), &ViewingTable::placeChosen, this, [this](const QPointF& d) {
        if (placeFor_) placeFor_(d);
    });
}

BenchPage::~BenchPage() {
    following_.cancel();
    // Their threads ask the live model, which would go first as the oldest child.
    delete overdone_;
    delete player_;
    delete results_;
}

void BenchPage::toggleResult() { player_->playing() ? player_->pause() : player_->playResult(); }

void BenchPage::setFullTable(bool full) {
    if (full == fullTable_) return;
    fullTable_ = full;
    for (QWidget* w : std::initializer_list<QWidget*>{shelf_, ticket_, spots_, targets_}) w->setVisible(!full);
    if (full) scopes_->hide();
    Q_EMIT fullTableChanged(full);
}

void BenchPage::addSpot(const QPointF& d) {
    const ClipEntry* c = project_.currentClip();
    if (!c) return;
    auto spots = c->spots;
    const QPointF s = live_->toSource(d);
    for (Spot& kept : spots) kept.automatic = false;
    if (spots.size() >= SpotsColumn::kMost) spots.pop_back();
    spots.push_back({"yours", c->playhead, s.x(), s.y()});
    project_.setSpots(spots);
}

void BenchPage::askForPlace(const QString& words, void (BenchPage::*then)(const QPointF&)) {
    player_->pause();
    placeFor_ = [this, then](const QPointF& place) { (this->*then)(place); };
    table_->table().askForPlace(words);
    table_->table().setFocus();
}

// Follows what was clicked on through its shot, in the background, and pins the crop to it. Where it could not be
// followed to the shot's ends that is told.
void BenchPage::followFrom(const QPointF& place) {
    const ClipEntry* c = project_.currentClip();
    const DeliveryPtr d = live_->deliveries().onTable();
    if (!c || !c->clip || !d) return;
    const QPointF s = live_->toSource(place);
    const PictureFormat& f = d->source->format();
    const float side = 0.2f * float(std::min(f.width, f.height));
    const SubjectPlace at{float(s.x() / f.width), float(s.y() / f.height), side / float(f.width),
                          side / float(f.height)};
    constexpr std::int64_t kMostAway = 600; // frames each way: nobody waits for more
    const auto shot = shotAround(d->found->cuts, c->playhead, c->clip->frameCount());
    const std::int64_t first = std::max(shot.first, c->playhead - kMostAway),
                       past = std::min(shot.second, c->playhead + kMostAway);
    following_.cancel();
    following_ = CancelToken();
    const QPointer<QObject> self(this);
    const auto show = [this](double share) {
        table_->table().tell(tr("Following it through the shot: %1 %. Esc: stop.").arg(int(100 * share)));
    };
    show(0);
    inBackground(Lane::Quick, [=, this, clip = c->clip, frame = c->playhead, path = c->path, token = following_] {
        try {
            const auto progress = [=](double share) {
                onInterface(self, [=] {
                    if (!token.cancelled()) show(share);
                });
            };
            const Pursuit p =
                guarded(path.toStdString(), [&] { return pursue(clip, frame, at, first, past, token, progress); });
            onInterface(self, [=, this] {
                if (token.cancelled()) return;
                stopFollowing();
                const ClipEntry* now = project_.currentClip();
                if (!now || now->path != path) return; // another clip is on the table by now
                project_.edit([&](Ticket& t) { pinPursuit(t, p, [&](std::int64_t n) { return clip->secondsAt(n); }); });
                const std::int64_t end = p.first + std::int64_t(p.places.size());
                if (p.first <= shot.first && end >= shot.second) return;
                const auto time = [&](std::int64_t n) { return timeText(clip->secondsAt(n)); };
                project_.tell(Error(
                    Fault::Input, path.toStdString(),
                    tr("what you clicked on could be followed from %1 to %2 only")
                        .arg(time(p.first), time(end - 1))
                        .toStdString(),
                    tr("Go to either end and click on it again; beyond, the crop follows the subject that was found.")
                        .toStdString()));
            });
        } catch (const Error& e) {
            onInterface(self, [=, this] {
                stopFollowing();
                project_.tell(e);
            });
        }
    });
}

void BenchPage::stopFollowing() {
    following_.cancel();
    table_->table().tell({});
}

// Warmth and tint that make what was clicked on grey; measured on the untreated picture, so a second click corrects
// nothing twice.
void BenchPage::makeGrey(const QPointF& place) {
    const DeliveryPtr d = live_->deliveries().onTable();
    if (!d) return;
    inBackground(Lane::Quick, [=, this, self = QPointer<QObject>(this), stage = live_->deliveries().stage()] {
        try {
            Engine once(0); // the project's may be gone by then
            const auto light = lightAt(*d, once, stage, {place.x(), place.y()});
            onInterface(self, [=, this] {
                const WhiteBalance b = whiteBalanceFor(light);
                project_.edit([&](Ticket& t) {
                    t.finish.on = true;
                    t.finish.colour.warmth = std::round(b.warmth);
                    t.finish.colour.tint = std::round(b.tint);
                });
            });
        } catch (const Error& e) {
            onInterface(self, [=, this] { project_.tell(e); });
        }
    });
}

// The table that does it is kept beside the session, under a name that says whose look it is.
void BenchPage::matchTo(const QString& file) {
    const DeliveryPtr d = live_->deliveries().onTable();
    if (!d) return;
    const QString name =
        tr("%1 like %2")
            .arg(QFileInfo(project_.currentClip()->path).completeBaseName(), QFileInfo(file).completeBaseName());
    inBackground(Lane::Quick, [=, this, self = QPointer<QObject>(this), folder = project_.looksFolder()] {
        try {
            const std::string table = lookLike(*d, file.toStdString(), {});
            QDir().mkpath(folder);
            QString path = folder + "/" + name + ".cube";
            for (int k = 2; QFile::exists(path); ++k) path = folder + "/" + name + QString(" %1.cube").arg(k);
            writeFileWhole(path.toStdString(), table);
            onInterface(self, [=, this] {
                project_.edit([&](Ticket& t) {
                    setByKey(t, "finish.table", path.toStdString());
                    t.finish.tableStrength = 100;
                });
            });
        } catch (const Error& e) {
            onInterface(self, [=, this] { project_.tell(e); });
        }
    });
}

void BenchPage::saveLook(const QString& file) {
    inBackground(Lane::Quick, [=, this, self = QPointer<QObject>(this), t = project_.shownTicket()] {
        try {
            writeFileWhole(file.toStdString(), lookOf(t));
        } catch (const Error& e) {
            onInterface(self, [=, this] { project_.tell(e); });
        }
    });
}

void BenchPage::dragCrop(const QPointF& by, const QPointF& from, bool done) {
    const Delivery* d = live_->delivery();
    if (done) return project_.endStroke();
    if (!d || !d->ticket.frame.on || (d->ticket.frame.fill != "crop" && d->ticket.frame.fill != "split")) return;
    const Pose& held = d->pose();
    const FramingPlan whole = d->planAt(live_->deliveries().stage());
    const bool lower = whole.isLower(from.y());
    const FramingPlan f = lower ? whole.lower() : whole;
    const Ticket::Frame& t = d->ticket.frame;
    const double scale = f.w / f.srcW, roomX = (held.width - f.srcW) * scale, roomY = (held.height - f.srcH) * scale;
    const double x = roomX > 1 ? f.srcX * scale / roomX - by.x() / roomX
                     : lower   ? t.lower.x
                               : t.x,
                 y = roomY > 1 ? f.srcY * scale / roomY - by.y() / roomY
                     : lower   ? t.lower.y
                               : t.y;
    project_.edit([&](Ticket& to) { placeCrop(to, f, held, live_->deliveries().seconds(), x, y, lower); }, "crop");
}

void BenchPage::markEnd(bool end, bool anew) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    const std::int64_t last = c->clip->frameCount() - 1, here = c->playhead;
    std::int64_t a = 0, b = last;
    if (const Ticket::Stretch s = project_.shownTicket().stretch; s.on && !anew)
        a = c->clip->frameAt(s.from), b = c->clip->frameAt(s.to - 1e-4);
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
    // With Ctrl they are other keys, and so they are with Alt but for those that say so.
    if (e.modifiers() & (Qt::ControlModifier | Qt::MetaModifier)) {
        if (e.key() != Qt::Key_S) return false;
        c ? ticket_->saveTicketAs() : table.hint(tr("Add a clip first: Ctrl+O."));
        return true;
    }
    if (e.modifiers() & Qt::AltModifier) return handleAltKey(e.key());
    switch (e.key()) {
    case Qt::Key_Space: e.modifiers() & Qt::ShiftModifier ? toggleResult() : player_->toggle(); break;
    case Qt::Key_J: player_->shuttle(-1); break;
    case Qt::Key_K: player_->pause(); break;
    case Qt::Key_L: player_->shuttle(1); break;
    case Qt::Key_BracketLeft: reel_->goToCut(-1); break;
    case Qt::Key_BracketRight: reel_->goToCut(1); break;
    case Qt::Key_N: reel_->goToFinding(e.modifiers() & Qt::ShiftModifier ? -1 : 1); break;
    case Qt::Key_M: reel_->goToWorst(); break;
    case Qt::Key_Comma:
    case Qt::Key_Left: step(e.modifiers() & Qt::ShiftModifier ? -10 : -1); break;
    case Qt::Key_Period:
    case Qt::Key_Right: step(e.modifiers() & Qt::ShiftModifier ? 10 : 1); break;
    case Qt::Key_Home: step(-(std::int64_t(1) << 40)); break;
    case Qt::Key_End: step(std::int64_t(1) << 40); break;
    case Qt::Key_I:
        if (e.modifiers() & Qt::ShiftModifier) reel_->keepStretch();
        markEnd(false, e.modifiers() & Qt::ShiftModifier);
        break;
    case Qt::Key_O: markEnd(true); break;
    case Qt::Key_U:
        if (!reel_->joinStretches())
            table.hint(tr("Nothing to join yet: Shift+I begins a further stretch, or drag on the reel with Ctrl."));
        break;
    case Qt::Key_Delete:
        if (!reel_->leaveStretchOut()) table.hint(tr("Mark a stretch first (I and O): Del then leaves it out."));
        break;
    case Qt::Key_X: e.modifiers() & Qt::ShiftModifier ? reel_->clearAllStretches() : reel_->clearStretch(); break;
    case Qt::Key_A: takeAdvice(); break;
    case Qt::Key_W: table.setCompare(ViewingTable::Compare::Wipe); break;
    case Qt::Key_E: table.setCompare(ViewingTable::Compare::Pair); break;
    case Qt::Key_R: table.setCompare(ViewingTable::Compare::Flip); break;
    case Qt::Key_T: table.setCompare(ViewingTable::Compare::Difference); break;
    case Qt::Key_G: table_->shapes().setWanted(!table_->shapes().wanted()); break;
    case Qt::Key_P: table.setZoom(ViewingTable::kPhone); break;
    case Qt::Key_C: scopes_->setVisible(!scopes_->isVisible()); break;
    case Qt::Key_S: table.setSafeAreas(!table.safeAreas()); break;
    case Qt::Key_V:
        if (!live_->faults().key().isEmpty()) lastFault_ = live_->faults().key();
        live_->faults().show(live_->faults().key().isEmpty() ? lastFault_ : QString());
        break;
    case Qt::Key_F11: setFullTable(!fullTable_); break;
    case Qt::Key_Escape:
        if (table.askingForPlace()) {
            table.askForPlace({});
            break;
        }
        if (table.isTelling()) {
            stopFollowing();
            break;
        }
        if (!fullTable_) return false;
        setFullTable(false);
        break;
    case Qt::Key_4: table.setZoom(4); break;
    case Qt::Key_5: table.setZoom(0.5); break;
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

void BenchPage::takeAdvice() {
    const ClipEntry* c = project_.currentClip();
    if (ticket_->takeAdvice()) return;
    table_->table().hint(!c                           ? tr("Add a clip first: Ctrl+O.")
                         : !c->notInspected.isEmpty() ? tr("It could not be looked over: there is no advice.")
                         : !c->inspection             ? tr("Its advice comes when it has been looked over.")
                         : allAdvice(*c).empty()      ? tr("Nothing is advised for this clip.")
                                                      : tr("All that was advised is on the ticket."));
}

bool BenchPage::handleAltKey(int key) {
    const int by = key == Qt::Key_Left ? -1 : key == Qt::Key_Right ? 1 : 0;
    if (by) {
        player_->pause();
        live_->deliveries().stepDelivered(by);
    } else if (key >= Qt::Key_1 && key <= Qt::Key_9) {
        if (!targets_->tick(key - Qt::Key_1))
            table_->table().hint(tr("There is no such destination below: Destinations shows more."));
    } else
        return false;
    return true;
}

void BenchPage::keyReleaseEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_F && !e->isAutoRepeat())
        table_->table().setFlipped(false);
    else
        QWidget::keyReleaseEvent(e);
}

} // namespace ulm::app
