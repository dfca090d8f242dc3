#include "app/ticket/ticket_sheet.h"

#include "app/ticket/advice_block.h"
#include "app/ticket/gain_model.h"
#include "app/ticket/overdone_gauge.h"
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/base/files.h"
#include "core/ticket/step.h"

#include <QApplication>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace ulm::app {

TicketSheet::TicketSheet(Project& project, Live& live, OverdoneModel& overdone, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setFixedWidth(340);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(1, 1, 2, 2);
    outer->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(38, 12, 10, 8);
    auto* names = new QVBoxLayout;
    title_ = new QLabel;
    title_->setObjectName("ticketTitle");
    title_->setFont(words(13, true));
    facts_ = new QLabel;
    facts_->setObjectName("ticketFacts");
    facts_->setWordWrap(true);
    advice_ = new QLabel;
    advice_->setObjectName("ticketAdvice");
    advice_->setWordWrap(true);
    advice_->setTextFormat(Qt::RichText);
    advice_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    names->addWidget(title_);
    names->addWidget(facts_);
    names->addWidget(advice_);
    block_ = new AdviceBlock(project_, live_);
    block_->hide();
    connect(advice_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == "find") return findClip();
        if (link == "details") return block_->setVisible(!block_->isVisibleTo(this));
        takeAdvice();
    });
    head->addLayout(names, 1);
    more_ = new QToolButton;
    more_->setObjectName("ticketMenu");
    more_->setIcon(icon("more", Theme::now().ink));
    more_->setToolTip(tr("Load, save, copy or clear this ticket"));
    more_->setAccessibleName(tr("Ticket menu"));
    connect(more_, &QToolButton::clicked, this, &TicketSheet::showMenu);
    head->addWidget(more_, 0, Qt::AlignTop);
    connect(&project_, &Project::currentChanged, this, [this] { more_->setIcon(icon("more", Theme::now().ink)); });
    outer->addLayout(head);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget;
    inside->setAutoFillBackground(false);
    column_ = new QVBoxLayout(inside);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(0);
    scroll->setWidget(inside);
    scroll->viewport()->setAutoFillBackground(false);
    inside->setStyleSheet("background: transparent");
    column_->addWidget(block_);
    outer->addWidget(scroll, 1);
    outer->addWidget(new OverdoneGauge(project_, live_, overdone));
    rows_ = new StepRows(project_, live_, this);
    connect(rows_, &StepRows::greyWanted, this, &TicketSheet::greyWanted);
    connect(rows_, &StepRows::subjectWanted, this, &TicketSheet::subjectWanted);
    connect(rows_, &StepRows::matchWanted, this, &TicketSheet::matchWanted);
    connect(rows_, &StepRows::lookWanted, this, &TicketSheet::lookWanted);
    for (const StepHead& h : stepHeads())
        if (h.key != "stretch") addStep(h); // it is marked on the reel strip
    addRemarks();
    column_->addStretch();
    steps_.at("clean")->setOpen(true);
    connect(&live_.deliveries(), &DeliveryModel::changed, this, &TicketSheet::refresh);
    connect(&project_, &Project::inspectionChanged, this, [this] { refresh(); });
    refresh();
}

void TicketSheet::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.fillRect(rect().adjusted(0, 0, -1, -1), t.paper);
    p.setPen(t.line);
    p.drawRect(rect().adjusted(0, 0, -2, -2));
    p.fillRect(QRect(2, height() - 2, width() - 2, 2), t.line);
}

void TicketSheet::addStep(const StepHead& head) {
    const QString key = QString::fromStdString(head.key);
    auto* s = new StepBlock(static_cast<int>(steps_.size()) + 1, QString::fromStdString(head.name), key);
    if (head.always) s->setAlwaysOn();
    steps_[key] = s;
    column_->addWidget(s);
    for (const StepPart& p : stepParts())
        if (p.step == head.key) rows_->add(s, p);
    connect(s, &StepBlock::switched, this, [this, key](bool on) {
        project_.edit([&](Ticket& t) { setByKey(t, key.toStdString() + ".on", on ? "true" : "false"); });
    });
    // One step open at a time keeps the sheet on one page.
    connect(s, &StepBlock::opened, this, [this, s, key](bool open) {
        if (!open) return live_.setStep(live_.step() == key ? QString() : live_.step());
        live_.setStep(key);
        for (auto& [k, other] : steps_)
            if (other != s) other->setOpen(false);
    });
    connect(s, &StepBlock::onlyWanted, this, [this, step = head.key](bool only) {
        const ClipEntry* c = project_.currentClip();
        const std::string& target = project_.onTable();
        if (!c || target.empty()) return;
        Ticket t = c->ticket;
        only ? keepOwn(t, target, step, ticketFor(t, target)) : shareAgain(t, target, step);
        project_.change(t);
    });
    connect(s, &StepBlock::offerTaken, this, [this, step = head.key](int number) {
        const auto offers = told()[step];
        if (number >= static_cast<int>(offers.size())) return;
        project_.edit([&](Ticket& t) {
            for (const std::string& a : offers[static_cast<std::size_t>(number)].set) setByAssignment(t, a);
        });
    });
}

// What was measured on this clip, beside the controls that it speaks of.
void TicketSheet::addRemarks() {
    gains_ = new GainModel(project_, live_, this);
    auto* gain = addRemark(steps_.at("enlarge"), "enlarge.gain");
    connect(gains_, &GainModel::updated, gain, [this, gain] { remark(gain, gainSentence(gains_->enlarge())); });
    auto* left = addRemark(steps_.at("finish"), "finish.grain.left");
    connect(gains_, &GainModel::updated, left, [this, left] { remark(left, grainSentence(gains_->grainLeft())); });
}

std::map<std::string, std::vector<Addition>> TicketSheet::told() const {
    std::map<std::string, std::vector<Addition>> all;
    if (const Delivery* d = live_.delivery())
        for (const Addition& a : d->told()) all[a.step].push_back(a);
    return all;
}

void TicketSheet::refreshSteps(const ClipEntry& c) {
    const Ticket t = project_.shownTicket();
    const auto target = project_.targetOnTable();
    const Theme& theme = Theme::now();
    const Ticket done = live_.delivery() ? live_.delivery()->ticket : t;
    auto all = told();
    for (auto& [key, s] : steps_) {
        const std::string step = key.toStdString();
        const std::vector<Addition>& lines = all[step];
        // Shown as done where the destination adds to it, too.
        const bool adds = live_.delivery() && std::ranges::any_of(live_.delivery()->additions,
                                                                  [&](const Addition& a) { return a.step == step; });
        s->setOn(isOn(t, step), adds || isOn(done, step));
        s->setSentence(sentenceOf(step, t, c, live_.delivery()));
        QStringList texts;
        for (std::size_t i = 0; i < lines.size(); ++i) {
            QString line = QString::fromStdString(lines[i].told).toHtmlEscaped() + ".";
            line[0] = line[0].toUpper();
            if (!lines[i].offer.empty())
                line += QString(" <a href=\"%1\" style=\"color:%2\">%3</a>")
                            .arg(i)
                            .arg(theme.ink.name(), QString::fromStdString(lines[i].offer));
            texts << line;
        }
        s->setAdditions(texts);
        s->setOnly(target ? QString::fromStdString(target->title) : QString(),
                   target && hasOwn(c.ticket, target->name, step));
    }
    rows_->refresh(t, done, c);
}

void TicketSheet::refresh() {
    const ClipEntry* c = project_.currentClip();
    const bool ready = c && c->clip;
    title_->setText(c ? project_.nameOf(project_.current()) : tr("No clip yet"));
    const Theme& t = Theme::now();
    facts_->setStyleSheet("color:" + t.faint.name());
    facts_->setText(!c       ? tr("Drop a clip anywhere, or press Ctrl+O.")
                    : !ready ? (c->problem.isEmpty() ? tr("Opening…") : c->problem)
                             : factsSentence(*c));
    const bool lost = c && !ready && !c->problem.isEmpty();
    advice_->setVisible(ready || lost);
    if (lost) advice_->setText(QString("<a href=\"find\" style=\"color:%1\">%2</a>").arg(t.ink.name(), tr("Find it…")));
    if (!ready) block_->hide();
    if (ready) advice_->setText(adviceSentence(*c, t.ink.name()));
    for (auto& [key, s] : steps_) s->setEnabled(ready);
    if (ready) refreshSteps(*c);
    for (auto& [key, s] : steps_) s->setVisible(ready);
    update();
}

void TicketSheet::findClip() {
    const int lost = project_.current();
    const QString name = project_.nameOf(lost),
                  path = QFileDialog::getOpenFileName(window(), tr("Where is %1 now?").arg(name));
    if (!path.isEmpty()) project_.findAgain(lost, path);
}

void TicketSheet::saveFindings(const QString& path) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip || !c->inspection) return;
    const bool table = path.endsWith(".csv", Qt::CaseInsensitive);
    try {
        writeFileWhole(path.toStdString(), table ? toCsv(*c->inspection, c->clip->facts())
                                                 : toJson(*c->inspection, c->clip->facts()).dump(2));
    } catch (const Error& e) {
        project_.tell(e);
    }
}

bool TicketSheet::takeAdvice() {
    const ClipEntry* c = project_.currentClip();
    const auto settings = c ? advisedSettings(*c) : std::map<std::string, std::string>();
    if (settings.empty()) return false;
    project_.edit([&](Ticket& t) {
        for (const auto& [k, v] : settings) setByKey(t, k, v);
    });
    return true;
}

void TicketSheet::saveTicketAs() {
    const ClipEntry* c = project_.currentClip();
    if (!c) return;
    const Ticket ticket = c->ticket; // the clip may go while it is asked
    const QString f = QFileDialog::getSaveFileName(
        this, tr("Save ticket"), c->path.section('.', 0, -2) + ".ticket.json", tr("Tickets (*.ticket.json)"));
    if (f.isEmpty()) return;
    try {
        saveTicket(ticket, f.toStdString());
    } catch (const Error& e) {
        project_.tell(e);
    }
}

void TicketSheet::showMenu() {
    const ClipEntry* c = project_.currentClip();
    QMenu menu(this);
    menu.setObjectName("ticketMenuOpen");
    menu.addAction(tr("Load ticket…"), this,
                   [=, this] {
                       const QString f =
                           QFileDialog::getOpenFileName(this, tr("Load ticket"), {}, tr("Tickets (*.ticket.json)"));
                       if (f.isEmpty()) return;
                       try {
                           project_.change(loadTicket(f.toStdString()));
                       } catch (const Error& e) {
                           project_.tell(e);
                       }
                   })
        ->setEnabled(c);
    menu.addAction(tr("Save ticket as…"), this, &TicketSheet::saveTicketAs)->setEnabled(c);
    const auto others = [this] {
        std::vector<int> all;
        for (int i = 0; i < project_.count(); ++i)
            if (i != project_.current()) all.push_back(i);
        return all;
    };
    menu.addAction(tr("Copy this ticket to every clip"), this, [=, this] { project_.copyTicketTo(others(), ""); })
        ->setEnabled(c && project_.count() > 1);
    QMenu* one = menu.addMenu(tr("Copy one step to every clip"));
    one->setEnabled(c && project_.count() > 1);
    for (const auto& [key, name] : stepNames())
        one->addAction(name, this, [=, this, key = key] { project_.copyTicketTo(others(), key); });
    menu.addSeparator();
    menu.addAction(tr("Keep this ticket to compare"), this, [this] { project_.keepTicket(); })->setEnabled(c);
    menu.addAction(tr("Swap with the kept ticket"), this, [this] { project_.swapKept(); })->setEnabled(c && c->kept);
    menu.addAction(tr("Forget the kept ticket"), this, [this] { project_.forgetKept(); })->setEnabled(c && c->kept);
    menu.addSeparator();
    menu.addAction(tr("Save what was found…"), this,
                   [=, this] {
                       const QString f = QFileDialog::getSaveFileName(this, tr("Save what was found"),
                                                                      c->path.section('.', 0, -2) + "-inspection.json",
                                                                      tr("JSON (*.json);;Table (*.csv)"));
                       if (!f.isEmpty()) saveFindings(f);
                   })
        ->setEnabled(c && c->inspection);
    menu.addAction(tr("Clear the ticket"), this, [this] { project_.change(Ticket{}); })->setEnabled(c);
    menu.exec(more_->mapToGlobal(QPoint(0, more_->height())));
}

} // namespace ulm::app
