// Rows that Finish alone has: a look-up table's file, and grey picked from the picture.
#include "app/ticket/curve_box.h"
#include "app/ticket/looks_strip.h"
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "core/ticket/together.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

// Below a row, where its values stand.
void addButtons(StepBlock* block, std::initializer_list<QPushButton*> buttons) {
    auto* row = new QHBoxLayout;
    row->setContentsMargins(96, 2, 0, 2);
    for (QPushButton* b : buttons) row->addWidget(b);
    row->addStretch();
    block->rows()->addLayout(row);
}

} // namespace

QWidget* StepRows::fileRow(StepBlock* block, const TicketKey& k) {
    auto* all = new QWidget;
    auto* row = new QHBoxLayout(all);
    row->setContentsMargins(0, 2, 0, 2);
    row->setSpacing(1); // as rows of words have it
    auto* label = new QLabel(QString::fromStdString(k.name));
    label->setFixedWidth(96);
    auto* choose = new QPushButton;
    choose->setObjectName(QString::fromStdString(k.path));
    choose->setToolTip(QString::fromStdString(k.meaning));
    auto* none = new QToolButton;
    none->setObjectName(QString::fromStdString(k.path) + ".none");
    none->setText(tr("None"));
    none->setToolTip(tr("Take the file off the ticket"));
    row->addWidget(label);
    row->addWidget(choose, 1);
    row->addWidget(none);
    block->rows()->addWidget(all);
    const QString ending = QString::fromStdString(k.ending);
    connect(choose, &QPushButton::clicked, this, [this, &k, ending] {
        const QString before = QString::fromStdString(k.get(project_.shownTicket()).get<std::string>());
        const QString file = QFileDialog::getOpenFileName(window_, tr("Choose a file"), QFileInfo(before).path(),
                                                          tr("Files (*%1)").arg(ending));
        if (!file.isEmpty()) set(k.path, file.toStdString());
    });
    connect(none, &QToolButton::clicked, this, [this, &k] {
        project_.edit([&](Ticket& t) { k.set(t, ""); }); // without switching the step on
    });
    refreshers_.push_back([choose, none, &k](const Ticket& t, const ClipEntry&) {
        const QString file = QString::fromStdString(k.get(t).get<std::string>());
        choose->setText(file.isEmpty() ? tr("Choose a file…") : onButton(QFileInfo(file).fileName()));
        choose->setAccessibleName(QString::fromStdString(k.name) + ": " + choose->text());
        none->setVisible(!file.isEmpty());
    });
    return all;
}

// One slider for light, colour and sharpening: it sets their own, which can each be changed after.
void StepRows::addTogether(StepBlock* block) {
    QuantitySlider* s = addSlider(block, "finish.together", tr("All together"), 0, 100, 1, 0, tr("%"));
    s->setHelp(
        tr("Light, colour and sharpening as one, by what was read of this clip. Each part is set below, and can be "
           "changed there."),
        tr("everything looks alike, and skin burns."));
    connect(s, &QuantitySlider::changed, this, [this](const Quantity& q, bool done) {
        const ClipEntry* c = project_.currentClip();
        if (!c) return;
        const Inspection found = c->known();
        project_.edit(
            [&](Ticket& t) {
                for (const auto& [key, value] : togetherAt(q.value / 100, found)) setByKey(t, key, value);
            },
            "finish.together");
        if (done) project_.endStroke();
    });
    refreshers_.push_back([s](const Ticket& t, const ClipEntry& c) {
        // Set otherwise, part by part, there is no one strength.
        s->setQuantity({From::Fixed, 100 * togetherOf(t, c.known()).value_or(0), 0});
    });
}

// The curve to draw, above its places in figures.
void StepRows::addCurve(StepBlock* block) {
    auto* box = new CurveBox;
    box->setObjectName("finish.light.curve.box");
    block->rows()->addWidget(box);
    connect(box, &CurveBox::changed, this, [this](const std::vector<CurvePoint>& points, bool done) {
        project_.edit(
            [&](Ticket& t) {
                t.finish.curve = curveText(points);
                t.finish.on = true;
            },
            "finish.light.curve");
        if (done) project_.endStroke();
    });
    refreshers_.push_back([box](const Ticket& t, const ClipEntry&) { box->setPoints(curveFrom(t.finish.curve)); });
}

// A look taken from another clip, or kept for others.
void StepRows::addLooks(StepBlock* block) {
    block->rows()->addWidget(new LooksStrip(project_, live_));
    auto* folder = new QPushButton(tr("Looks in…"));
    folder->setObjectName("looksFolder");
    folder->setToolTip(tr("Choose a folder of .cube tables to see them on this frame"));
    connect(folder, &QPushButton::clicked, this, [this] {
        const QString chosen =
            QFileDialog::getExistingDirectory(window_, tr("Whose tables are to be shown?"), project_.ownLooks());
        if (!chosen.isEmpty()) project_.setOwnLooks(chosen);
    });
    auto* match = new QPushButton(tr("Match to…"));
    match->setObjectName("matchLook");
    match->setToolTip(
        tr("Brings this clip's light and colour to those of another clip or a PNG, by a table made for it"));
    auto* keep = new QPushButton(tr("Save as .cube…"));
    keep->setObjectName("saveLook");
    keep->setToolTip(
        tr("Writes light, colour and table as one table, for other clips and other programs. Clarity, glow "
           "and corners depend on the place and are not in it."));
    addButtons(block, {folder, match});
    addButtons(block, {keep});
    connect(match, &QPushButton::clicked, this, [this] {
        const QString file = QFileDialog::getOpenFileName(
            window_, tr("Whose light and colour?"), {},
            tr("Clips and pictures (*.mp4 *.mov *.mkv *.webm *.avi *.png);;All files (*)"));
        if (!file.isEmpty()) Q_EMIT matchWanted(file);
    });
    connect(keep, &QPushButton::clicked, this, [this] {
        QFileDialog ask(window_, tr("Save the look"), {}, tr("Look-up tables (*.cube)"));
        ask.setAcceptMode(QFileDialog::AcceptSave);
        ask.setDefaultSuffix("cube"); // with it the dialog asks before it replaces that file
        ask.selectFile("look.cube");
        if (ask.exec() == QDialog::Accepted) Q_EMIT lookWanted(ask.selectedFiles().value(0));
    });
}

void StepRows::addGreyPicker(StepBlock* block) {
    auto* pick = new QPushButton(tr("Click on something grey…"));
    pick->setObjectName("pickGrey");
    pick->setToolTip(
        tr("Then click on something in the picture that ought to be grey or white: warmth and tint are set "
           "so that it is."));
    addButtons(block, {pick});
    connect(pick, &QPushButton::clicked, this, &StepRows::greyWanted);
}

} // namespace ulm::app
