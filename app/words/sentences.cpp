#include "app/words/sentences.h"

#include "core/deliver/export.h"
#include "core/deliver/memory.h"
#include "core/engine/work_plan.h"
#include "core/media/facts_words.h"
#include "core/ticket/networks.h"
#include "core/ticket/step.h"

#include <QCoreApplication>
#include <QStringList>
#include <QThread>
#include <algorithm>
#include <cmath>

namespace ulm::app {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("sentences", text); }

QString number(double v, int decimals) {
    QString s = QString::number(v, 'f', decimals);
    if (s.contains('.')) {
        while (s.endsWith('0')) s.chop(1);
        if (s.endsWith('.')) s.chop(1);
    }
    return s;
}

// Its step is on, with what it advises or something of a person's own in its place.
bool isTaken(const Ticket& t, const Advice& a) {
    static const Ticket untouched;
    return isOn(t, a.step) && std::ranges::all_of(a.set, [&](const auto& s) {
               const TicketKey* const key = findKey(s.first);
               Ticket advised = t;
               setByKey(advised, s.first, s.second);
               return key->get(t) == key->get(advised) || key->get(t) != key->get(untouched);
           });
}

QString sizeText(int w, int h) { return QString("%1×%2").arg(w).arg(h); }

} // namespace

QString codecName(const std::string& codec) { return QString::fromStdString(codecWords(codec)); }

QString byteText(double b) {
    if (b >= 1e9) return number(b / 1e9, 2) + " GB";
    if (b >= 1e6) return QString::number(b / 1e6, 'f', 1) + " MB";
    return QString::number(std::max(1.0, b / 1e3), 'f', 0) + " KB";
}

QString timeText(double s) {
    const int minutes = static_cast<int>(s / 60);
    return QString("%1:%2").arg(minutes).arg(s - minutes * 60, 6, 'f', 3, QChar('0'));
}

QString counted(std::size_t n, const QString& one, const QString& many) { return n == 1 ? one : many.arg(n); }

QString leftText(double s) {
    if (s < 0) return {};
    if (s < 1.5) return tr("about a second left");
    if (s < 90) return tr("about %1 s left").arg(std::lround(s));
    return tr("about %1 min left").arg(std::lround(s / 60));
}

QString factsSentence(const ClipEntry& c) {
    const MediaFacts& f = c.clip->facts();
    const VideoFacts& v = f.video;
    QStringList parts = {sizeText(v.width, v.height),
                         tr("%1 fps").arg(number(v.fps, 2)) + (v.variableRate ? tr(" (varies)") : ""),
                         tr("%1 s").arg(QString::number(f.duration, 'f', 1)),
                         byteText(double(f.bytes)),
                         codecName(v.codec).replace('.', QString(".") + QChar(0x2060)), // never parted by a line's end
                         f.audio.empty() ? tr("no sound") : tr("sound")};
    if (v.bitDepth > 8) parts << tr("%1 bit").arg(v.bitDepth);
    if (v.hdr()) parts << tr("HDR");
    if (v.interlaced) parts << tr("interlaced");
    if (v.rotation) parts << tr("turned");
    if (v.mirrored) parts << tr("mirrored");
    if (c.readAgain.isValid()) parts << tr("written anew, read again at %1").arg(c.readAgain.toString("H:mm"));
    return parts.join(" · ");
}

QString adviceSentence(const ClipEntry& c, const QString& colour) {
    if (!c.notInspected.isEmpty()) return tr("It could not be looked over: %1.").arg(c.notInspected.toHtmlEscaped());
    if (!c.inspection)
        return c.inspecting > 0 ? tr("Looking it over… %1 %").arg(std::lround(c.inspecting * 100))
                                : tr("Waiting to be looked over…");
    QStringList found;
    const auto link = [&](const char* to, const QString& words) {
        return QString(" <a href=\"%1\" style=\"color:%2\">%3</a>").arg(to, colour, words);
    };
    for (const Advice& a : openAdvice(c)) found << QString::fromStdString(a.what).toLower();
    if (c.inspection->framesLost) found.prepend(tr("%1 damaged frames").arg(c.inspection->framesLost));
    const auto all = findings(*c.inspection, c.clip->facts());
    const QString details = all.empty() ? QString() : link("details", tr("Look closer"));
    if (found.isEmpty())
        return (!allAdvice(c).empty() ? tr("All that was advised is on the ticket.")
                : all.empty()         ? tr("Nothing wrong was found.")
                              : tr("%1: nothing here can mend it.").arg(QString::fromStdString(all.front().what))) +
               details;
    return tr("Advice: %1.").arg(found.join(", ")) + link("apply", tr("Put on ticket")) +
           (details.isEmpty() ? "" : " ·") + details;
}

std::vector<Advice> allAdvice(const ClipEntry& c) {
    return c.inspection && c.clip ? advise(*c.inspection, c.clip->facts()) : std::vector<Advice>{};
}

std::vector<Advice> openAdvice(const ClipEntry& c) {
    std::vector<Advice> open;
    for (const Advice& a : allAdvice(c))
        if (!isTaken(c.ticket, a)) open.push_back(a);
    return open;
}

std::map<std::string, std::string> advisedSettings(const ClipEntry& c) {
    std::map<std::string, std::string> settings;
    for (const Advice& a : openAdvice(c))
        for (const auto& [key, value] : a.set) settings[key] = value;
    return settings;
}

const std::vector<std::pair<std::string, QString>>& stepNames() {
    static const std::vector<std::pair<std::string, QString>> names = [] {
        std::vector<std::pair<std::string, QString>> all;
        for (const StepHead& h : stepHeads())
            if (h.key != "stretch") all.emplace_back(h.key, QString::fromStdString(h.name));
        return all;
    }();
    return names;
}

QString faultName(const QString& key) {
    if (key == "texture") return tr("Fine texture");
    if (key == "motion") return tr("Movement");
    if (key == "face") return tr("Face");
    if (key == "text") return tr("Letters");
    if (key == "overlay") return tr("Lies over");
    if (key == "overdone") return tr("Overdone");
    if (key == "paths") return tr("Movement");
    if (const ReadingKind* k = findReading(key.toStdString())) return tr(k->name);
    return tr("Your spot");
}

QString readingText(const QString& key, double v) {
    // A place without a clear edge has no edge width.
    const bool edge = key == "softness_px" || key == "text" || key == "face" || key == "motion";
    if ((edge && v == 0) || std::isnan(v)) return QString("–");
    static const QStringList fine = {"noise_sigma", "softness_px", "ringing", "texture", "text", "face", "motion"};
    return QString::number(v, 'f', fine.contains(key) ? 1 : 0);
}

// More memory than there is.
static QString memoryWarning(const Delivery& d) {
    const std::int64_t needed = renderBytes(d, workPlan().cores, ExportJob{}.cacheBytes), free = memoryToTake();
    if (needed <= free) return {};
    return tr(" It takes about %1 of memory; %2 are free.").arg(byteText(double(needed)), byteText(double(free)));
}

QString sentenceOf(const std::string& step, const Ticket& t, const ClipEntry& c, const Delivery* d) {
    QString s =
        QString::fromStdString(d ? d->sentence(step) : stepSentence(step, {t, c.known(), c.clip->facts(), nullptr, 0}));
    if (step != "enlarge" || !d) return s;
    if (!d->note.empty()) s += tr(" But: %1.").arg(QString::fromStdString(d->note));
    return s + memoryWarning(*d);
}

QString gainSentence(const std::optional<EnlargeGain>& g) {
    if (!g) return {};
    const auto signedText = [](double dB) { return (dB < -0.005 ? "−" : "+") + QString::number(std::abs(dB), 'f', 2); };
    QString s = tr("Tried on this clip, shrunk to half and enlarged back: %1 dB over Lanczos")
                    .arg(signedText(g->overLanczos()));
    if (g->fromAbove() != 0) s += tr(", %1 dB of it from working above").arg(signedText(g->fromAbove()));
    return s + ".";
}

QString grainSentence(const std::optional<double>& left) {
    return left ? tr("About %1 % of the grain is left after the encode, at the quality planned now.")
                      .arg(std::lround(100 * *left))
                : QString();
}

} // namespace ulm::app
