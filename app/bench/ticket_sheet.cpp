#include "app/bench/ticket_sheet.h"

#include "app/bench/advice_block.h"
#include "app/bench/crop_map.h"
#include "app/bench/gain_model.h"
#include "app/bench/overdone_gauge.h"
#include "app/bench/sentences.h"
#include "app/widgets/theme.h"
#include "core/files.h"
#include "core/ticket/fields.h"

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
#include <cmath>

namespace ulm::app {

void TicketSheet::edit(const std::function<void(Ticket&)>& change, const QString& stroke) {
    const ClipEntry* c = project_.currentClip();
    if (!c) return;
    Ticket t = c->ticket;
    change(t);
    project_.change(t, stroke);
}

TicketSheet::TicketSheet(Project& project, LiveModel& live, OverdoneModel& overdone, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setFixedWidth(340);
    gains_ = new GainModel(project_, live_, this);
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
    names->addWidget(title_);
    names->addWidget(facts_);
    names->addWidget(advice_);
    block_ = new AdviceBlock(project_, live_);
    block_->hide();
    connect(advice_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == "details") return block_->setVisible(!block_->isVisibleTo(this));
        edit([&](Ticket& t) {
            for (const Advice& a : openAdvice(*project_.currentClip()))
                for (const auto& [k, v] : a.set) setByKey(t, k, v);
        });
    });
    head->addLayout(names, 1);
    auto* more = new QToolButton;
    more->setObjectName("ticketMenu");
    more->setIcon(icon("more", Theme::now().ink));
    more->setToolTip(tr("Load, save, copy or clear this ticket"));
    more->setAccessibleName(tr("Ticket menu"));
    connect(more, &QToolButton::clicked, this, &TicketSheet::showMenu);
    head->addWidget(more, 0, Qt::AlignTop);
    connect(&project_, &Project::currentChanged, more, [more] { more->setIcon(icon("more", Theme::now().ink)); });
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
    buildClean();
    buildEnlarge();
    buildMotion();
    buildFrame();
    buildFinish();
    buildSound();
    buildDeliver();
    column_->addStretch();
    steps_.at("clean")->setOpen(true);
    connect(&live_, &LiveModel::pipelineChanged, this, &TicketSheet::refresh);
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

StepBlock* TicketSheet::addStep(const QString& name, const QString& key) {
    auto* s = new StepBlock(static_cast<int>(steps_.size()) + 1, name, key);
    steps_[key] = s;
    column_->addWidget(s);
    connect(s, &StepBlock::switched, this, [this, key](bool on) {
        edit([&](Ticket& t) { setByKey(t, key.toStdString() + ".on", on ? "true" : "false"); });
    });
    // One step open at a time keeps the sheet on one page.
    connect(s, &StepBlock::opened, this, [this, s, key](bool open) {
        if (!open) return live_.setStep(live_.step() == key ? QString() : live_.step());
        live_.setStep(key);
        for (auto& [k, other] : steps_)
            if (other != s) other->setOpen(false);
    });
    return s;
}

CropMap* TicketSheet::addCrop(StepBlock* s, const char* name, const std::function<void(Ticket&, const QPointF&)>& put) {
    auto* map = new CropMap(project_, live_);
    map->setObjectName(name);
    s->rows()->addWidget(map);
    connect(map, &CropMap::moved, this, [this, put, name](const QPointF& to, bool done) {
        edit([&](Ticket& t) { put(t, to); }, name);
        if (done) project_.endStroke();
    });
    return map;
}

void TicketSheet::buildMotion() {
    StepBlock* s = addStep(tr("Motion"), "motion");
    static const double kRates[] = {24, 25, 30, 50, 60};
    auto* rate = new ChoiceRow(tr("Frames a second"), {"24", "25", "30", "50", "60"});
    rate->setObjectName("motion.fps");
    s->rows()->addWidget(rate);
    connect(rate, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.motion.on = true, t.motion.fps = kRates[i]; }); });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry& c) {
        int index = -1;
        for (int i = 0; i < 5; ++i)
            if (t.motion.fps == kRates[i]) index = i;
        rate->setCurrent(t.motion.on ? index : -1);
        s->setOn(t.motion.on);
        s->setSentence(motionSentence(t, c));
    });
}

void TicketSheet::buildFrame() {
    StepBlock* s = addStep(tr("Frame"), "frame");
    static const Size kAspects[] = {{9, 16}, {4, 5}, {1, 1}, {16, 9}};
    auto* shape = new ChoiceRow(tr("Shape"), {"9:16", "4:5", "1:1", "16:9"});
    shape->setObjectName("frame.aspect");
    s->rows()->addWidget(shape);
    connect(shape, &ChoiceRow::chosen, this, [this](int i) {
        edit([&](Ticket& t) { t.frame.on = true, t.frame.aspect = kAspects[i], t.frame.size.reset(); });
    });
    static const QStringList kFills = {"crop", "pad", "blur"};
    auto* fill = new ChoiceRow(tr("Fill by"), {tr("Crop"), tr("Black"), tr("Blur")});
    fill->setObjectName("frame.fill");
    s->rows()->addWidget(fill);
    connect(fill, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.frame.on = true, t.frame.fill = kFills[i].toStdString(); }); });
    addCrop(s, "frame.crop", [](Ticket& t, const QPointF& to) { t.frame.x = to.x(), t.frame.y = to.y(); });
    auto* x = addSlider(s, "frame.x", tr("Crop across"), 0, 100, 1, 0, "%");
    auto* y = addSlider(s, "frame.y", tr("Crop down"), 0, 100, 1, 0, "%");
    x->setHelp(tr("Where the crop sits from left (0) to right (100). The picture can be dragged too, with Shift."),
               tr("the subject leaves the frame."));
    y->setHelp(tr("Where the crop sits from top (0) to bottom (100)."), tr("the subject leaves the frame."));
    connect(x, &QuantitySlider::changed, this, [this](const Quantity& q, bool done) {
        edit([&](Ticket& t) { t.frame.on = true, t.frame.x = q.value / 100; }, "frame.x");
        if (done) project_.endStroke();
    });
    connect(y, &QuantitySlider::changed, this, [this](const Quantity& q, bool done) {
        edit([&](Ticket& t) { t.frame.on = true, t.frame.y = q.value / 100; }, "frame.y");
        if (done) project_.endStroke();
    });
    refreshers_.push_back([=, this](const Ticket& t, const ClipEntry&) {
        int index = -1;
        for (int i = 0; i < 4; ++i)
            if (t.frame.aspect == kAspects[i]) index = i;
        shape->setCurrent(t.frame.on ? index : -1);
        fill->setCurrent(static_cast<int>(kFills.indexOf(QString::fromStdString(t.frame.fill))));
        x->setQuantity({From::Fixed, t.frame.x * 100, 0});
        y->setQuantity({From::Fixed, t.frame.y * 100, 0});
        x->setVisible(t.frame.fill == "crop");
        y->setVisible(t.frame.fill == "crop");
        s->setOn(t.frame.on);
        s->setSentence(frameSentence(t, live_.pipeline()));
    });
}

void TicketSheet::buildSound() {
    StepBlock* s = addStep(tr("Sound"), "sound");
    static const QStringList kModes = {"keep", "aac", "drop"};
    auto* mode = new ChoiceRow(tr("Sound"), {tr("Keep"), tr("As AAC"), tr("Drop")});
    mode->setObjectName("sound.mode");
    s->rows()->addWidget(mode);
    connect(mode, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.sound.on = true, t.sound.mode = kModes[i].toStdString(); }); });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry& c) {
        mode->setCurrent(static_cast<int>(kModes.indexOf(QString::fromStdString(t.sound.mode))));
        s->setOn(t.sound.on);
        s->setSentence(soundSentence(t, c));
    });
}

void TicketSheet::buildDeliver() {
    StepBlock* s = addStep(tr("Deliver"), "deliver");
    s->setAlwaysOn();
    static const QStringList kRates = {"quality", "size", "variable"};
    static const QStringList kQualities = {"small", "good", "best"};
    auto* rate = new ChoiceRow(tr("Led by"), {tr("Quality"), tr("Size"), tr("Bitrate")});
    rate->setObjectName("deliver.rate");
    s->rows()->addWidget(rate);
    connect(rate, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.deliver.rate = kRates[i].toStdString(); }); });
    auto* quality = new ChoiceRow(tr("Quality"), {tr("Small"), tr("Good"), tr("Best")});
    quality->setObjectName("deliver.quality");
    s->rows()->addWidget(quality);
    connect(quality, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.deliver.quality = kQualities[i].toStdString(); }); });
    auto* size = addSlider(s, "deliver.size_mb", tr("At most"), 0.5, 200, 0.5, 1, "MB");
    auto* bitrate = addSlider(s, "deliver.bitrate", tr("Bitrate"), 200, 60000, 100, 0, "kb/s");
    size->setHelp(tr("The file will not be larger than this, and closely below it."),
                  tr("bigger files than a destination takes."));
    bitrate->setHelp(tr("Average over the clip, in two passes."), tr("bigger files, and nothing more to see."));
    connect(size, &QuantitySlider::changed, this, [this](const Quantity& q, bool done) {
        edit([&](Ticket& t) { t.deliver.sizeMb = q.value; }, "size");
        if (done) project_.endStroke();
    });
    connect(bitrate, &QuantitySlider::changed, this, [this](const Quantity& q, bool done) {
        edit([&](Ticket& t) { t.deliver.bitrate = q.value; }, "bitrate");
        if (done) project_.endStroke();
    });
    refreshers_.push_back([=, this](const Ticket& t, const ClipEntry&) {
        rate->setCurrent(t.deliver.rate == "constant"
                             ? 2
                             : static_cast<int>(kRates.indexOf(QString::fromStdString(t.deliver.rate))));
        quality->setCurrent(static_cast<int>(kQualities.indexOf(QString::fromStdString(t.deliver.quality))));
        size->setQuantity({From::Fixed, t.deliver.sizeMb, 0});
        bitrate->setQuantity({From::Fixed, t.deliver.bitrate, 0});
        quality->setVisible(t.deliver.rate == "quality");
        size->setVisible(t.deliver.rate == "size");
        bitrate->setVisible(t.deliver.rate == "variable" || t.deliver.rate == "constant");
        s->setSentence(deliverSentence(t, live_.pipeline()));
    });
}

void TicketSheet::refresh() {
    const ClipEntry* c = project_.currentClip();
    const bool ready = c && c->clip;
    title_->setText(c ? c->name() : tr("No clip yet"));
    const Theme& t = Theme::now();
    facts_->setStyleSheet("color:" + t.faint.name());
    facts_->setText(!c       ? tr("Drop a clip anywhere, or press Ctrl+O.")
                    : !ready ? (c->problem.isEmpty() ? tr("Opening…") : c->problem)
                             : factsSentence(*c));
    advice_->setVisible(ready);
    if (!ready) block_->hide();
    if (ready) advice_->setText(adviceSentence(*c, t.ink.name()));
    for (auto& [key, s] : steps_) s->setEnabled(ready);
    if (ready)
        for (auto& r : refreshers_) r(c->ticket, *c);
    for (auto& [key, s] : steps_) s->setVisible(ready);
    update();
}

void TicketSheet::saveFindings(const QString& path) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip || !c->inspection) return;
    const bool table = path.endsWith(".csv", Qt::CaseInsensitive);
    try {
        writeFileWhole(path.toStdString(), table ? toCsv(*c->inspection, c->clip->facts())
                                                 : toJson(*c->inspection, c->clip->facts()).dump(2));
    } catch (const Error& e) {
        Q_EMIT project_.problem(QString::fromStdString(e.file), QString::fromStdString(e.reason),
                                QString::fromStdString(e.remedy));
    }
}

void TicketSheet::showMenu() {
    const ClipEntry* c = project_.currentClip();
    QMenu menu(this);
    menu.setObjectName("ticketMenuOpen");
    const auto report = [this](const Error& e) {
        Q_EMIT project_.problem(QString::fromStdString(e.file), QString::fromStdString(e.reason),
                                QString::fromStdString(e.remedy));
    };
    menu.addAction(tr("Load ticket…"), this,
                   [=, this] {
                       const QString f =
                           QFileDialog::getOpenFileName(this, tr("Load ticket"), {}, tr("Tickets (*.ticket.json)"));
                       if (f.isEmpty()) return;
                       try {
                           project_.change(loadTicket(f.toStdString()));
                       } catch (const Error& e) {
                           report(e);
                       }
                   })
        ->setEnabled(c);
    menu.addAction(tr("Save ticket as…"), this,
                   [=, this] {
                       QString f = QFileDialog::getSaveFileName(this, tr("Save ticket"),
                                                                c->path.section('.', 0, -2) + ".ticket.json",
                                                                tr("Tickets (*.ticket.json)"));
                       if (f.isEmpty()) return;
                       try {
                           saveTicket(c->ticket, f.toStdString());
                       } catch (const Error& e) {
                           report(e);
                       }
                   })
        ->setEnabled(c);
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
    menu.exec(QCursor::pos());
}

} // namespace ulm::app
