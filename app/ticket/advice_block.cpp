#include "app/ticket/advice_block.h"

#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

QString degree(double severity) {
    return severity >= 4     ? AdviceBlock::tr("strong")
           : severity >= 1.8 ? AdviceBlock::tr("clear")
           : severity >= 1   ? AdviceBlock::tr("slight")
                             : AdviceBlock::tr("for your knowledge");
}

QLabel* wordsLabel(const QString& text, const QColor& colour, double points = 8.5, bool bold = false) {
    auto* l = new QLabel(text);
    l->setWordWrap(true);
    l->setFont(words(points, bold));
    l->setStyleSheet("color:" + colour.name());
    return l;
}

} // namespace

AdviceBlock::AdviceBlock(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    setObjectName("adviceBlock");
    setAccessibleName(tr("What was found, and advice"));
    rows_ = new QVBoxLayout(this);
    rows_->setContentsMargins(38, 8, 14, 10);
    rows_->setSpacing(3);
    connect(&project_, &Project::ticketChanged, this, &AdviceBlock::refresh);
    connect(&project_, &Project::currentChanged, this, &AdviceBlock::refresh);
    connect(&project_, &Project::inspectionChanged, this, [this] { refresh(); });
}

void AdviceBlock::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), Theme::now().paperOpen);
    p.fillRect(QRect(0, 0, 3, height()), Theme::now().slate);
}

void AdviceBlock::showEvent(QShowEvent*) { refresh(); }

void AdviceBlock::put(const std::map<std::string, std::string>& set) {
    project_.edit([&](Ticket& t) {
        for (const auto& [k, v] : set) setByKey(t, k, v);
    });
}

void AdviceBlock::refresh() {
    const ClipEntry* c = project_.currentClip();
    if (!isVisible() || !c || !c->clip || !c->inspection) return;
    const auto advice = allAdvice(*c), open = openAdvice(*c);
    const auto all = findings(*c->inspection, c->clip->facts());
    const auto stillOpen = [&](const Advice& a) {
        return std::ranges::any_of(open, [&](const Advice& o) { return o.what == a.what; });
    };
    QString now = c->path + (Theme::now().night ? "n" : "d");
    for (const Advice& a : advice) now += QString::fromStdString(a.what + a.why) + (stillOpen(a) ? "+" : "-");
    for (const Finding& f : all) now += QString::fromStdString(f.told);
    if (now == shown_) return;
    shown_ = now;
    while (QLayoutItem* item = rows_->takeAt(0)) {
        if (QWidget* w = item->widget()) w->hide(), w->deleteLater(); // one of them may be handling the click
        delete item;
    }
    const Theme& t = Theme::now();
    int number = 0;
    if (!advice.empty()) rows_->addWidget(wordsLabel(tr("What would help, in this order"), t.faint, 8.5, true));
    for (const Advice& a : advice) addAdvice(a, number++, !stillOpen(a));
    if (!all.empty()) {
        rows_->addSpacing(6);
        rows_->addWidget(wordsLabel(tr("What was found, worst first"), t.faint, 8.5, true));
    }
    number = 0;
    for (const Finding& f : all) addFinding(f, number++);
}

void AdviceBlock::addAdvice(const Advice& a, int number, bool done) {
    const Theme& t = Theme::now();
    rows_->addWidget(
        wordsLabel(QString("%1  %2").arg(number + 1).arg(QString::fromStdString(a.what)), t.ink, 9.25, true));
    rows_->addWidget(wordsLabel(QString::fromStdString(a.why), t.ink));
    rows_->addWidget(wordsLabel(tr("Risk: %1").arg(QString::fromStdString(a.risk)), t.faint));
    auto* row = new QWidget;
    auto* buttons = new QHBoxLayout(row);
    buttons->setContentsMargins(0, 2, 0, 6);
    buttons->setSpacing(6);
    const auto add = [&](const QString& words, const QString& name, const QString& tip,
                         const std::map<std::string, std::string>& set) {
        auto* b = new QPushButton(words);
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setStyleSheet("QPushButton{padding:3px 8px}");
        connect(b, &QPushButton::clicked, this, [this, set] { put(set); });
        buttons->addWidget(b);
    };
    const auto settings = [](const std::map<std::string, std::string>& set) {
        QStringList all;
        for (const auto& [k, v] : set) all << QString::fromStdString(k + " = " + v);
        return all.join("\n");
    };
    if (done)
        buttons->addWidget(wordsLabel(tr("✓ on the ticket"), t.elm));
    else
        add(tr("Put on ticket"), QString("advice.%1").arg(number), settings(a.set), a.set);
    if (!a.secondWhat.empty()) {
        const QString second = QString::fromStdString(a.secondWhat);
        add(tr("Or: %1").arg(QFontMetrics(words(9)).elidedText(second.toLower(), Qt::ElideRight, 150)),
            QString("second.%1").arg(number), second + "\n" + settings(a.secondSet), a.secondSet);
    }
    buttons->addStretch();
    rows_->addWidget(row);
}

void AdviceBlock::addFinding(const Finding& f, int number) {
    const Theme& t = Theme::now();
    auto* l = wordsLabel({}, t.ink);
    l->setObjectName(QString("finding.%1").arg(number));
    l->setTextFormat(Qt::RichText);
    const bool placed = !f.box.empty() || f.frame > 0;
    l->setText(QString("<b>%1</b>, %2: %3%4")
                   .arg(QString::fromStdString(f.what).toHtmlEscaped(), degree(f.severity),
                        QString::fromStdString(f.told).toHtmlEscaped(),
                        placed ? QString(" <a href=\"go\" style=\"color:%1\">%2</a>").arg(t.ink.name(), tr("Show"))
                               : QString()));
    l->setToolTip(tr("Confidence %1 %").arg(std::lround(100 * f.confidence)));
    connect(l, &QLabel::linkActivated, this, [this, f] {
        project_.setPlayhead(f.frame);
        const ReadingKind* kind = findReading(f.key);
        if ((kind && kind->mapped) || f.key == "overlay") live_.faults().show(QString::fromStdString(f.key));
    });
    rows_->addWidget(l);
}

} // namespace ulm::app
