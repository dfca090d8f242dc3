#include "app/widgets/quantity_slider.h"

#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

namespace ulm::app {

QuantitySlider::QuantitySlider(const QString& name, double least, double most, double step, int decimals,
                               const QString& unit, QWidget* parent)
    : QWidget(parent), name_(name), unit_(unit), least_(least), most_(most), step_(step), decimals_(decimals) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(26);
    setAccessibleName(name);
}

void QuantitySlider::setHelp(const QString& what, const QString& tooMuch) {
    QString text = "<b>" + name_ + "</b><br>" + what + "<br><i>" + tr("Too much:") + "</i> " + tooMuch;
    if (measurable_)
        text +=
            "<br>" +
            tr("Docked on the grey tick it follows the clip. P pins it, Home docks it, double-click types a number.");
    setToolTip(text);
}

double QuantitySlider::value() const {
    return measurable_ ? quantity_.resolve(reading_, least_, most_) : quantity_.value;
}

QRect QuantitySlider::track() const { return {92, height() / 2 - 2, std::max(40, width() - 92 - 134), 4}; }

QRect QuantitySlider::sourceWord() const { return {width() - 58, 0, 58, height()}; }

int QuantitySlider::xOf(double v) const {
    const QRect t = track();
    // The lower half of a range is where people work: it gets more of the track.
    const double k = std::sqrt(std::clamp((v - least_) / (most_ - least_), 0.0, 1.0));
    return t.left() + static_cast<int>(std::lround(k * (t.width() - 1)));
}

QString QuantitySlider::told() const {
    const double v = value();
    if (v == 0 && !zeroWord_.isEmpty()) return zeroWord_;
    QString number = QString::number(v, 'f', decimals_);
    if (measurable_ && quantity_.from == From::Nudged) {
        const double by = v - std::clamp(reading_, least_, most_);
        number = QString::number(reading_, 'f', decimals_) + (by < 0 ? " −" : " +") +
                 QString::number(std::abs(by), 'f', decimals_);
    }
    return number + (unit_.isEmpty() ? "" : " " + unit_);
}

void QuantitySlider::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setPen(t.ink);
    p.setFont(words(9));
    p.drawText(QRect(0, 0, 94, height()), Qt::AlignVCenter | Qt::AlignLeft, name_);
    const QRect line = track();
    const double v = value();
    p.fillRect(line, t.paperLine);
    // What goes both ways fills from nothing, which a small tick marks.
    const int nothing = least_ < 0 && most_ > 0 ? xOf(0) : line.left();
    p.fillRect(QRect(std::min(nothing, xOf(v)), line.top(), std::abs(xOf(v) - nothing), line.height()), t.elm);
    if (least_ < 0 && most_ > 0) p.fillRect(QRect(nothing, line.top() - 3, 1, line.height() + 6), t.faint);
    if (measurable_) p.fillRect(QRect(xOf(reading_) - 1, line.top() - 6, 2, 16), t.slate);
    const QRect handle(xOf(v) - 4, height() / 2 - 7, 8, 14);
    p.setPen(hasFocus() ? QPen(t.ink, 1) : Qt::NoPen);
    p.setBrush(t.elm);
    p.drawRect(handle);
    p.setFont(figures(8.5));
    p.setPen(t.ink);
    p.drawText(QRect(line.right() + 4, 0, width() - 62 - line.right() - 4 + (measurable_ ? 0 : 58), height()),
               Qt::AlignVCenter | Qt::AlignRight, told());
    if (measurable_) {
        p.setFont(words(8));
        p.setPen(t.faint);
        const QString from = quantity_.from == From::Measured ? tr("measured")
                             : quantity_.from == From::Nudged ? tr("nudged")
                                                              : tr("fixed");
        p.drawText(sourceWord(), Qt::AlignVCenter | Qt::AlignRight, from);
    }
}

void QuantitySlider::drive(double v, bool done, bool docks) {
    v = std::clamp(v, least_, most_);
    Quantity q = quantity_;
    if (!measurable_ || q.from == From::Fixed) {
        q.from = From::Fixed;
        q.value = v;
    } else if (docks) {
        q = {From::Measured, reading_, 0};
    } else {
        q = {From::Nudged, v, v - reading_};
    }
    quantity_ = q;
    update();
    Q_EMIT changed(q, done);
}

void QuantitySlider::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (measurable_ && sourceWord().contains(e->pos())) return cycleSource();
    dragging_ = track().adjusted(-8, -12, 8, 12).contains(e->pos());
    if (dragging_) mouseMoveEvent(e);
}

void QuantitySlider::mouseMoveEvent(QMouseEvent* e) {
    if (!dragging_) return;
    const double k = std::clamp(double(e->pos().x() - track().left()) / (track().width() - 1), 0.0, 1.0);
    double v = least_ + k * k * (most_ - least_);
    v = std::round(v / step_) * step_;
    drive(v, false, measurable_ && std::abs(e->pos().x() - xOf(reading_)) <= 4);
}

void QuantitySlider::mouseReleaseEvent(QMouseEvent*) {
    if (!dragging_) return;
    dragging_ = false;
    Q_EMIT changed(quantity_, true);
}

void QuantitySlider::mouseDoubleClickEvent(QMouseEvent* e) {
    if (e->pos().x() > track().right()) typeValue();
}

void QuantitySlider::typeValue() {
    if (auto* open = findChild<QLineEdit*>("typedValue")) return open->selectAll(); // a third click in a row
    auto* edit = new QLineEdit(QString::number(value(), 'f', decimals_), this);
    edit->setObjectName("typedValue");
    edit->setGeometry(track().right() + 8, 1, 70, height() - 2);
    edit->setFont(figures(8.5));
    edit->show();
    edit->setFocus();
    edit->selectAll();
    edit->installEventFilter(this);
}

// Keys of the number being typed: Return takes it, Escape drops it, and neither reaches the slider behind.
bool QuantitySlider::eventFilter(QObject* watched, QEvent* e) {
    auto* edit = qobject_cast<QLineEdit*>(watched);
    if (!edit || edit->isHidden()) return false;
    const int key = e->type() == QEvent::KeyPress ? static_cast<QKeyEvent*>(e)->key() : 0;
    const bool take = key == Qt::Key_Return || key == Qt::Key_Enter || e->type() == QEvent::FocusOut;
    if (!take && key != Qt::Key_Escape) return false;
    bool number = false;
    const double v = edit->text().replace(',', '.').toDouble(&number);
    edit->setObjectName({});
    edit->hide();
    edit->deleteLater();
    if (key) setFocus();
    if (take && number) drive(v, true, false);
    return true;
}

void QuantitySlider::wheelEvent(QWheelEvent* e) {
    if (!hasFocus()) return e->ignore(); // scrolling the sheet must not change values under the pointer
    drive(std::round((value() + (e->angleDelta().y() > 0 ? step_ : -step_)) / step_) * step_, true, false);
}

void QuantitySlider::cycleSource() {
    Quantity q = quantity_;
    if (q.from == From::Fixed)
        q = {From::Nudged, value(), value() - reading_};
    else
        q = {From::Fixed, value(), 0};
    if (q.from == From::Nudged && std::abs(q.nudge) < step_ / 2) q = {From::Measured, reading_, 0};
    quantity_ = q;
    update();
    Q_EMIT changed(q, true);
}

void QuantitySlider::keyPressEvent(QKeyEvent* e) {
    const double by = step_ * (e->modifiers() & Qt::ShiftModifier ? 5 : 1);
    if (e->key() == Qt::Key_Left || e->key() == Qt::Key_Down)
        drive(std::round((value() - by) / step_) * step_, true, false);
    else if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Up)
        drive(std::round((value() + by) / step_) * step_, true, false);
    else if (e->key() == Qt::Key_P && measurable_)
        cycleSource();
    else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        typeValue();
    else if (e->key() == Qt::Key_Home && measurable_) {
        quantity_ = {From::Measured, reading_, 0};
        update();
        Q_EMIT changed(quantity_, true);
    } else
        QWidget::keyPressEvent(e);
}

} // namespace ulm::app
