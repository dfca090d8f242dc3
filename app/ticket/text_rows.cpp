// Rows for values that are written: a line of words, speeds and halts at instants, a part of the picture. Beside each
// a button that writes what is asked for most.
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "core/ticket/frame_step.h"
#include "core/ticket/motion_step.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace ulm::app {
namespace {

// The pairs with one more at an instant; one that is there already stays.
template <class Pair>
std::string withOneAt(std::vector<Pair> pairs, const Pair& more, double Pair::*value, double unit) {
    constexpr double kSame = 0.02;
    if (std::ranges::none_of(pairs, [&](const Pair& p) { return std::abs(p.seconds - more.seconds) < kSame; }))
        pairs.insert(std::ranges::upper_bound(pairs, more.seconds, {}, &Pair::seconds), more);
    std::string text;
    for (const Pair& p : pairs)
        text += (text.empty() ? "" : " ") + shortNumber(p.seconds, 2) + ":" + shortNumber(p.*value * unit, 2);
    return text;
}

struct Shortcut {
    QString words, help;
    /// The text that the button writes; none where there is nothing to write.
    std::function<std::optional<std::string>(const Ticket&, const ClipEntry&)> text;
};

// The picture inside black bars, in displayed pixels; none where there are no bars.
std::optional<Rect> insideBars(const ClipEntry& c) {
    const Inspection* i = c.found();
    if (!i || !c.clip) return {};
    const Rect part = insideBars(*i, c.clip->facts().video);
    return part.empty() ? std::nullopt : std::optional(part);
}

Shortcut shortcutOf(const std::string& path) {
    const auto here = [](const ClipEntry& c) { return c.clip->secondsAt(c.playhead); };
    if (path == "motion.ramps")
        return {QObject::tr("Slow here"),
                QObject::tr("Sets half speed at the playhead, full speed half a second around"),
                [here](const Ticket& t, const ClipEntry& c) -> std::optional<std::string> {
                    const double at = std::max(0.0, here(c));
                    std::string text = t.motion.ramps;
                    for (const SpeedAt& s : {SpeedAt{at - 0.5, 1}, SpeedAt{at, 0.5}, SpeedAt{at + 0.5, 1}})
                        if (s.seconds >= 0) text = withOneAt(rampsFrom(text), s, &SpeedAt::speed, 100);
                    return text;
                }};
    if (path == "motion.freezes")
        return {QObject::tr("Halt here"), QObject::tr("The playhead's frame stands still for one second"),
                [here](const Ticket& t, const ClipEntry& c) -> std::optional<std::string> {
                    return withOneAt(freezesFrom(t.motion.freezes), {here(c), 1}, &FreezeAt::length, 1);
                }};
    if (path == "frame.part")
        return {QObject::tr("Bars off"), QObject::tr("Cuts off the black bars that were found"),
                [](const Ticket&, const ClipEntry& c) -> std::optional<std::string> {
                    const auto part = insideBars(c);
                    return part ? std::optional(partText(*part)) : std::nullopt;
                }};
    return {};
}

} // namespace

QWidget* StepRows::textRow(StepBlock* block, const TicketKey& k) {
    auto* all = new QWidget;
    auto* column = new QVBoxLayout(all);
    column->setContentsMargins(0, 2, 0, 2);
    column->setSpacing(1);
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(QString::fromStdString(k.name));
    label->setFixedWidth(96);
    auto* line = new QLineEdit;
    line->setObjectName(QString::fromStdString(k.path));
    line->setPlaceholderText(QString::fromStdString(k.form).toLower());
    line->setToolTip(QString::fromStdString(k.meaning));
    line->setAccessibleName(label->text());
    row->addWidget(label);
    row->addWidget(line, 1);
    const Shortcut shortcut = shortcutOf(k.path);
    auto* button = new QToolButton;
    button->setObjectName(QString::fromStdString(k.path) + ".here");
    button->setText(shortcut.words);
    button->setToolTip(shortcut.help);
    button->setVisible(bool(shortcut.text));
    row->addWidget(button);
    column->addLayout(row);
    auto* wrong = new QLabel;
    wrong->setObjectName(QString::fromStdString(k.path) + ".wrong");
    wrong->setContentsMargins(96, 0, 0, 0);
    wrong->setWordWrap(true);
    wrong->setFont(app::words(8.5));
    wrong->hide();
    column->addWidget(wrong);
    block->rows()->addWidget(all);
    connect(line, &QLineEdit::editingFinished, this, [this, &k, line, wrong] {
        const std::string text = line->text().trimmed().toStdString();
        Ticket probe = project_.shownTicket();
        if (k.get(probe) == text) return wrong->hide();
        if (const std::string told = k.set(probe, text); !told.empty()) {
            wrong->setText(tr("It %1.").arg(QString::fromStdString(told)));
            return wrong->show();
        }
        wrong->hide();
        if (text.empty())
            project_.edit([&](Ticket& t) { k.set(t, ""); }); // without switching the step on
        else
            set(k.path, text);
    });
    connect(button, &QToolButton::clicked, this, [this, &k, shortcut] {
        const ClipEntry* c = project_.currentClip();
        if (!c || !c->clip) return;
        if (const auto text = shortcut.text(project_.shownTicket(), *c)) set(k.path, *text);
    });
    refreshers_.push_back([=, &k](const Ticket& t, const ClipEntry& c) {
        const QString text = QString::fromStdString(k.get(t).get<std::string>());
        if (!line->hasFocus() || line->text().isEmpty() || !wrong->isVisible()) {
            if (line->text() != text) line->setText(text), wrong->hide();
        }
        if (shortcut.text) button->setEnabled(shortcut.text(t, c).has_value());
    });
    return all;
}

} // namespace ulm::app
