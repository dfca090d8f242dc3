#include "app/ticket/overdone_gauge.h"

#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

namespace ulm::app {
namespace {

QString nameOf(const std::string& key) {
    for (const OverdoneKind& k : overdoneKinds())
        if (key == k.key) return OverdoneGauge::tr(k.name);
    return {};
}

} // namespace

OverdoneGauge::OverdoneGauge(Project& project, Live& live, OverdoneModel& model, QWidget* parent)
    : QWidget(parent), project_(project), live_(live), model_(model) {
    setObjectName("overdoneGauge");
    setAccessibleName(tr("Overdone meter"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(38, 22, 14, 8);
    all->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    words_ = new QLabel;
    words_->setObjectName("overdoneWords");
    words_->setTextFormat(Qt::RichText);
    words_->setWordWrap(true);
    ease_ = new QPushButton(tr("Ease it"));
    ease_->setObjectName("ease");
    ease_->setToolTip(tr("Finds the strongest treatment that stays under the limit and puts it on the ticket. Undo "
                         "brings this one back."));
    row->addWidget(words_, 1);
    row->addWidget(ease_, 0, Qt::AlignTop);
    all->addLayout(row);
    connect(words_, &QLabel::linkActivated, this, &OverdoneGauge::goThere);
    connect(ease_, &QPushButton::clicked, &model_, &OverdoneModel::ease);
    connect(&model_, &OverdoneModel::updated, this, &OverdoneGauge::refresh);
    connect(&model_, &OverdoneModel::cannotEase, this, [this] {
        words_->setText(tr("Easing the ticket does not help: what is left comes from its sizes or its grain."));
    });
    refresh();
}

void OverdoneGauge::refresh() {
    const Theme& t = Theme::now();
    const Overdone& o = model_.overdone();
    const ClipEntry* c = project_.currentClip();
    setVisible(c && c->clip);
    const double gauge = o.gauge();
    const bool over = gauge >= 100;
    ease_->setVisible(model_.fresh() && over);
    ease_->setEnabled(!model_.easing());
    QString text;
    if (model_.easing())
        text = tr("Looking for the strongest treatment under the limit…");
    else if (!model_.fresh())
        text = tr("Judging…");
    else if (gauge < 20)
        text = tr("Nothing is overdone.");
    else {
        const double at = c && c->clip ? c->clip->secondsAt(o.frame) : 0;
        text = (over ? tr("Too much: %1 %2") : tr("In bounds; most: %1 %2"))
                   .arg(nameOf(o.worst).toLower())
                   .arg(std::lround(gauge)) +
               QString(" <a href=\"there\" style=\"color:%1\">%2</a>").arg(t.ink.name(), tr("at %1").arg(timeText(at)));
    }
    words_->setText(text);
    words_->setStyleSheet("color:" + (model_.fresh() ? t.ink : t.faint).name());
    update();
}

void OverdoneGauge::goThere() {
    const Overdone& o = model_.overdone();
    const ClipEntry* c = project_.currentClip();
    if (!c || o.worst.empty()) return;
    project_.setPlayhead(o.frame);
    live_.table().setFocus({o.box.x + o.box.w / 2.0, o.box.y + o.box.h / 2.0});
    live_.faults().show("overdone");
}

void OverdoneGauge::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.setPen(t.paperLine);
    p.drawLine(12, 0, width() - 12, 0);
    // 0 … 200, the limit in the middle.
    const QRectF bar(38, 9, width() - 52, 8);
    p.fillRect(bar, t.paperLine);
    const double gauge = model_.overdone().gauge();
    const double limit = bar.left() + bar.width() / 2, end = bar.left() + bar.width() * std::min(1.0, gauge / 200);
    p.setOpacity(model_.fresh() ? 1 : 0.4);
    p.fillRect(QRectF(bar.topLeft(), QPointF(std::min(end, limit), bar.bottom())), t.elm);
    if (end > limit) p.fillRect(QRectF(QPointF(limit, bar.top()), QPointF(end, bar.bottom())), t.ember);
    p.setOpacity(1);
    p.setPen(QPen(t.ink, 1.5));
    p.drawLine(QPointF(limit, bar.top() - 4), QPointF(limit, bar.bottom() + 4));
}

} // namespace ulm::app
