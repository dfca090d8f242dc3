#include "app/ticket/step_block.h"

#include "app/widgets/theme.h"

#include <QApplication>
#include <QCheckBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

namespace ulm::app {

StepBlock::StepBlock(int number, const QString& name, const QString& key, QWidget* parent)
    : QWidget(parent), number_(number) {
    setObjectName("step." + key);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setAccessibleName(name);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(12, 8, 14, 8); // the number stands left of the head; controls use the full width
    all->setSpacing(2);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(26, 0, 0, 0);
    name_ = new QLabel(name);
    name_->setFont(words(9.75, true));
    switch_ = new Switch;
    switch_->setObjectName("switch." + key);
    switch_->setAccessibleName(tr("%1 on or off").arg(name));
    head->addWidget(name_);
    head->addStretch();
    head->addWidget(switch_);
    all->addLayout(head);
    sentence_ = new QLabel;
    sentence_->setObjectName("sentence." + key);
    sentence_->setWordWrap(true);
    sentence_->setContentsMargins(26, 0, 40, 0);
    all->addWidget(sentence_);
    additions_ = new QLabel;
    additions_->setObjectName("additions." + key);
    additions_->setWordWrap(true);
    additions_->setTextFormat(Qt::RichText);
    additions_->setContentsMargins(26, 2, 14, 0);
    additions_->hide();
    connect(additions_, &QLabel::linkActivated, this,
            [this](const QString& number) { Q_EMIT offerTaken(number.toInt()); });
    all->addWidget(additions_);
    controls_ = new QWidget;
    controls_->setCursor(Qt::ArrowCursor);
    rows_ = all_ = new QVBoxLayout(controls_);
    rows_->setContentsMargins(0, 6, 0, 4);
    rows_->setSpacing(2);
    controls_->hide();
    all->addWidget(controls_);
    only_ = new QCheckBox;
    only_->setObjectName("only." + key);
    only_->setToolTip(
        tr("Ticked: what is set in this step holds for this destination alone; all others keep the shared "
           "values."));
    only_->setCursor(Qt::ArrowCursor);
    only_->hide();
    all->addWidget(only_);
    connect(only_, &QCheckBox::clicked, this, &StepBlock::onlyWanted);
    connect(switch_, &QAbstractButton::clicked, this, &StepBlock::switched);
}

FoldGroup* StepBlock::addGroup(const QString& heading, const QString& object) {
    auto* group = new FoldGroup(heading, object);
    all_->addWidget(group);
    rows_ = group->rows();
    return group;
}

void StepBlock::setAlwaysOn() { switch_->hide(); }

void StepBlock::setOn(bool on, bool done) {
    switch_->setChecked(on);
    QFont f = words(9.75, true);
    f.setStrikeOut(!on && !done);
    name_->setFont(f);
    const Theme& t = Theme::now();
    const QString colour = "color:" + (on || done ? t.ink : t.faint).name();
    name_->setStyleSheet(colour);
    sentence_->setStyleSheet(colour);
}

void StepBlock::setAdditions(const QStringList& lines) {
    additions_->setVisible(!lines.isEmpty());
    additions_->setStyleSheet("color:" + Theme::now().slate.name());
    additions_->setText(lines.join("<br>"));
}

void StepBlock::setOnly(const QString& destination, bool only) {
    destination_ = destination;
    only_->setText(tr("Only for %1").arg(onButton(destination)));
    only_->setChecked(only);
    showOnly();
}

// The tick belongs to the open controls; where it is set it is always seen.
void StepBlock::showOnly() { only_->setVisible(!destination_.isEmpty() && (open_ || only_->isChecked())); }

void StepBlock::setSentence(const QString& text) {
    sentence_->setText(QString(text).replace(" %", QString(QChar::Nbsp) + '%')); // never parted by a line's end
}

void StepBlock::setOpen(bool open) {
    if (open == open_) return;
    open_ = open;
    controls_->setVisible(open);
    showOnly();
    update();
    Q_EMIT opened(open);
}

void StepBlock::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    if (open_) p.fillRect(rect(), t.paperOpen);
    p.setPen(t.paperLine);
    p.drawLine(12, height() - 1, width() - 12, height() - 1);
    p.setFont(figures(8.5));
    p.setPen(t.faint);
    p.drawText(QRect(12, 8, 20, 18), Qt::AlignVCenter | Qt::AlignLeft, QString::number(number_));
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(4, 1, -5, -3));
    }
}

void StepBlock::mousePressEvent(QMouseEvent*) {} // taken, so that the release comes here too

// Not before the release: a step that opens closes another, and what was pressed on would move away, links too. A link
// keeps its release to itself.
void StepBlock::mouseReleaseEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton && rect().contains(e->pos()) &&
        !(open_ && controls_->geometry().contains(e->pos())))
        setOpen(!open_);
}

void StepBlock::keyPressEvent(QKeyEvent* e) {
    // What is pressed in one of its rows was not meant for the step: Return ends a line that is written there.
    const QWidget* pressedIn = QApplication::focusWidget();
    if (pressedIn && pressedIn != this && isAncestorOf(pressedIn))
        QWidget::keyPressEvent(e);
    else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        setOpen(!open_);
    else if (e->key() == Qt::Key_Space && !switch_->isHidden())
        switch_->click();
    else
        QWidget::keyPressEvent(e);
}

ChoiceRow::ChoiceRow(const QString& name, const QStringList& words_, QWidget* parent) : QWidget(parent) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 2, 0, 2);
    row->setSpacing(0);
    auto* label = new QLabel(name);
    label->setContentsMargins(0, 0, 8, 0);
    row->addWidget(label);
    // Choices begin where those of other rows do, or earlier where they would not fit into the sheet.
    row->addItem(new QSpacerItem(std::max(0, 96 - label->sizeHint().width()), 0, QSizePolicy::Maximum));
    for (const QString& w : words_) {
        auto* b = new QPushButton(w);
        b->setCheckable(true);
        b->setObjectName("choice");
        b->setAccessibleName(name + " " + w);
        const int index = static_cast<int>(buttons_.size());
        connect(b, &QPushButton::clicked, this, [this, index] {
            setCurrent(index);
            Q_EMIT chosen(index);
        });
        row->addWidget(b);
        buttons_.push_back(b);
    }
    row->addStretch();
}

void ChoiceRow::setCurrent(int index) {
    const Theme& t = Theme::now();
    for (std::size_t i = 0; i < buttons_.size(); ++i) {
        auto* b = static_cast<QPushButton*>(buttons_[i]);
        const bool on = static_cast<int>(i) == index;
        b->setChecked(on);
        const QString join = i ? "border-left:none;" : "";
        b->setStyleSheet(
            on ? QString("QPushButton{padding:3px 6px;background:%1;color:%2;border:1px solid %1;font-weight:bold;%3}")
                     .arg(t.ink.name(), t.paper.name(), join)
               : QString("QPushButton{padding:3px 6px;%1}").arg(join));
    }
}

QuantitySlider* addSlider(StepBlock* s, const char* object, const QString& name, double least, double most, double step,
                          int decimals, const QString& unit) {
    auto* q = new QuantitySlider(name, least, most, step, decimals, unit);
    q->setObjectName(object);
    s->rows()->addWidget(q);
    return q;
}

QLabel* addRemark(StepBlock* s, const char* object) {
    auto* label = new QLabel;
    label->setObjectName(object);
    label->setFont(words(8.5));
    label->setWordWrap(true);
    label->hide();
    s->rows()->addWidget(label);
    return label;
}

void remark(QLabel* line, const QString& text) {
    line->setText(text);
    line->setVisible(!text.isEmpty());
}

} // namespace ulm::app
