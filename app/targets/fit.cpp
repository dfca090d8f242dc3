#include "app/targets/fit.h"

#include "app/words/sentences.h"

#include <QCoreApplication>
#include <map>

namespace ulm::app {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("fit", text); }

FitState over(const QString& words) { return {FitState::Verdict::Over, words, 1}; }

} // namespace

FitState fitOf(const Target& target, Live& live) {
    const DeliveryPtr d = live.deliveries().of(target.name);
    if (!d) return live.delivery() ? over(tr("cannot be framed for it")) : FitState{};
    for (const LimitCheck& c : d->broken()) {
        if (c.limit == "duration_s") return over(tr("%1 s too long").arg(d->seconds() - target.maxSeconds, 0, 'f', 1));
        static const std::map<std::string, const char*> words{
            {"size", QT_TR_NOOP("%1 pixels")},         {"aspect", QT_TR_NOOP("shape %1")},
            {"width", QT_TR_NOOP("%1 pixels across")}, {"height", QT_TR_NOOP("%1 pixels down")},
            {"lines", QT_TR_NOOP("%1 lines")},         {"fps", QT_TR_NOOP("%1 fps")},
            {"codec", QT_TR_NOOP("codec %1")},         {"container", QT_TR_NOOP("format %1")}};
        const auto w = words.find(c.limit);
        return over(
            tr("%1: not taken").arg(tr(w == words.end() ? "%1" : w->second).arg(QString::fromStdString(c.value))));
    }
    const SizePlan p = live.forecasts().plan(d);
    if (p.expected < 0 && p.way != SizePlan::Way::CannotFit) return {};
    if (target.maxMb <= 0 && p.way != SizePlan::Way::CannotFit)
        return {FitState::Verdict::Fits, tr("about %1").arg(byteText(p.expected)), 0};
    const double limit = double(p.limit);
    switch (p.way) {
    case SizePlan::Way::CannotFit:
        return over(p.least > 0 ? tr("%1 MB over").arg(std::max(0.1, (p.least - limit) / 1e6), 0, 'f', 1)
                                : tr("no room for pictures"));
    case SizePlan::Way::Fit:
        return {FitState::Verdict::Squeezed, tr("squeezed into %1 MB").arg(limit / 1e6, 0, 'g', 4), 1};
    default:
        return {FitState::Verdict::Fits,
                (p.rough ? tr("about %1 of %2 MB") : tr("%1 of %2 MB"))
                    .arg(p.expected / 1e6, 0, 'f', p.expected < 1e6 ? 2 : 1)
                    .arg(limit / 1e6, 0, 'g', 4),
                p.expected / limit};
    }
}

} // namespace ulm::app
