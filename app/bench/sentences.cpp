#include "app/bench/sentences.h"

#include "core/deliver/export.h"
#include "core/deliver/memory.h"
#include "core/pipeline/network_steps.h"
#include "core/ticket/fields.h"

#include <QCoreApplication>
#include <QStringList>
#include <QThread>
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

QString quantityText(const QString& name, const Quantity& q, double reading, double most, int decimals,
                     const QString& unit = {}) {
    const double v = q.resolve(reading, 0, most);
    if (q.from == From::Measured) return tr("%1 %2 measured").arg(name, number(v, decimals) + unit);
    if (q.from == From::Nudged)
        return tr("%1 %2 nudged %3")
            .arg(name, number(reading, decimals) + unit,
                 (q.nudge < 0 ? "−" : "+") + number(std::abs(q.nudge), decimals));
    return tr("%1 %2 fixed").arg(name, number(v, decimals) + unit);
}

QString codecName(const std::string& codec) {
    static const std::map<std::string, QString> names = {{"h264", "H.264"}, {"hevc", "H.265"}, {"mpeg4", "MPEG-4"},
                                                         {"av1", "AV1"},    {"vp9", "VP9"},    {"vp8", "VP8"}};
    const auto it = names.find(codec);
    return it != names.end() ? it->second : QString::fromStdString(codec).toUpper();
}

QString sizeText(int w, int h) { return QString("%1×%2").arg(w).arg(h); }

} // namespace

QString byteText(double b) {
    if (b >= 1e9) return number(b / 1e9, 2) + " GB";
    if (b >= 1e6) return QString::number(b / 1e6, 'f', 1) + " MB";
    return QString::number(std::max(1.0, b / 1e3), 'f', 0) + " KB";
}

QString timeText(double s) {
    const int minutes = static_cast<int>(s / 60);
    return QString("%1:%2").arg(minutes).arg(s - minutes * 60, 6, 'f', 3, QChar('0'));
}

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
                         codecName(v.codec),
                         f.audio.empty() ? tr("no sound") : tr("sound")};
    if (v.bitDepth > 8) parts << tr("%1 bit").arg(v.bitDepth);
    if (v.interlaced) parts << tr("interlaced");
    if (v.rotation) parts << tr("turned");
    return parts.join(" · ");
}

QString adviceSentence(const ClipEntry& c, const QString& colour) {
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
        return (allAdvice(c).empty() ? (all.empty() ? tr("Nothing wrong was found.") : tr("Nothing here can mend it."))
                                     : tr("All that was advised is on the ticket.")) +
               details;
    return tr("Advice: %1.").arg(found.join(", ")) + link("apply", tr("Put on ticket")) +
           (details.isEmpty() ? "" : " ·") + details;
}

std::vector<Advice> allAdvice(const ClipEntry& c) {
    return c.inspection && c.clip ? advise(*c.inspection, c.clip->facts()) : std::vector<Advice>{};
}

std::vector<Advice> openAdvice(const ClipEntry& c) {
    std::vector<Advice> open;
    const std::map<std::string, bool> on = {{"clean", c.ticket.clean.on},
                                            {"enlarge", c.ticket.enlarge.on},
                                            {"frame", c.ticket.frame.on},
                                            {"finish", c.ticket.finish.on}};
    for (const Advice& a : allAdvice(c))
        if (const auto it = on.find(a.step); it == on.end() || !it->second) open.push_back(a);
    return open;
}

const std::vector<std::pair<std::string, QString>>& stepNames() {
    static const std::vector<std::pair<std::string, QString>> names = {
        {"clean", tr("Clean")},   {"enlarge", tr("Enlarge")}, {"motion", tr("Motion")},  {"frame", tr("Frame")},
        {"finish", tr("Finish")}, {"sound", tr("Sound")},     {"deliver", tr("Deliver")}};
    return names;
}

QString faultName(const QString& key) {
    if (key == "texture") return tr("Fine texture");
    if (key == "motion") return tr("Movement");
    if (key == "face") return tr("Face");
    if (key == "text") return tr("Letters");
    if (key == "overlay") return tr("Lies over");
    if (key == "overdone") return tr("Overdone");
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

QString cleanSentence(const Ticket& t, const ClipEntry& c) {
    QString s = quantityText(tr("Blocks"), t.clean.blocks, c.readings().blocking, 100, 0) + ", " +
                quantityText(tr("noise"), t.clean.noise, c.readings().noise, 50, 1);
    const auto more = [&](const QString& name, const Quantity& q, double reading, double most) {
        if (q.from != From::Fixed || q.value > 0) s += ", " + quantityText(name, q, reading, most, 1);
    };
    if (c.readings().chromaNoise >= 0.4) more(tr("colour noise"), t.clean.chroma, c.readings().chromaNoise, 50);
    more(tr("ringing"), t.clean.ringing, c.readings().ringing, 20);
    more(tr("stair-steps"), t.clean.stairs, c.readings().stairs, 100);
    more(tr("banding"), t.clean.banding, c.readings().banding, 100);
    if (t.clean.keepOriginal > 0) s += tr(", %1 % of the original kept").arg(number(t.clean.keepOriginal, 0));
    return s + ".";
}

// What stands in the way: missing networks, more memory than there is.
static QString warnings(const Pipeline* p) {
    if (!p) return {};
    QString s;
    if (!p->note.empty()) s += tr(" But: %1.").arg(QString::fromStdString(p->note));
    const std::int64_t needed = renderBytes(*p, QThread::idealThreadCount(), ExportJob{}.cacheBytes);
    if (const auto free = freeBytes(); free && needed > *free)
        s += tr(" It takes about %1 of memory; %2 are free.").arg(byteText(double(needed)), byteText(double(*free)));
    return s;
}

QString enlargeSentence(const Ticket& t, const ClipEntry& c, const Pipeline* p) {
    static const std::map<std::string, QString> kernels = {{"lanczos", "Lanczos"},
                                                           {"spline36", "Spline 36"},
                                                           {"bicubic", "bicubic"},
                                                           {"bilinear", "bilinear"},
                                                           {"point", "point"}};
    const auto kernel = kernels.find(t.enlarge.method);
    static const std::map<std::string, QString> kinds = {{"general", tr("the general network")},
                                                         {"rough", tr("the network for rough clips")},
                                                         {"drawn", tr("the network for drawn pictures")}};
    const QString by = kernel != kernels.end()               ? kernel->second
                       : t.enlarge.method.ends_with(".onnx") ? QString::fromStdString(t.enlarge.method).section('/', -1)
                                                             : kinds.at(networkKind(t, c.readings()));
    const VideoFacts& v = c.clip->facts().video;
    if (!t.enlarge.on && !t.frame.on) return tr("Size kept: %1.").arg(sizeText(v.width, v.height)) + warnings(p);
    if (!p) return tr("The size cannot be worked out.");
    const QString above =
        t.enlarge.on && t.enlarge.above > 1 ? tr(", worked at ×%1 of that").arg(number(t.enlarge.above, 2)) : QString();
    const QString strength = enlargesByNetwork(t)
                                 ? ", " + quantityText(tr("strength"), t.enlarge.strength,
                                                       measuredStrength(t, c.readings()), kMostStrength, 0, " %")
                                 : QString();
    return tr("×%1, to %2 pixels, by %3%4%5.")
               .arg(number(p->plan.scale(), 2), sizeText(p->plan.width, p->plan.height),
                    t.enlarge.on ? by : tr("Lanczos"), strength, above) +
           warnings(p);
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

QString motionSentence(const Ticket& t, const ClipEntry& c) {
    const double fps = c.clip->facts().video.fps;
    if (!t.motion.on) return tr("%1 frames a second, as filmed.").arg(number(fps, 2));
    return t.motion.fps < fps ? tr("%1 frames a second, by leaving frames out.").arg(number(t.motion.fps, 2))
                              : tr("%1 frames a second, by repeating frames.").arg(number(t.motion.fps, 2));
}

QString frameSentence(const Ticket& t, const Pipeline* p) {
    const QString shape = QString("%1:%2").arg(t.frame.aspect.w).arg(t.frame.aspect.h);
    if (!t.frame.on) return tr("Shape kept.");
    if (t.frame.fill == "pad") return tr("%1 with black beside the picture.").arg(shape);
    if (t.frame.fill == "blur") return tr("%1 on a blurred copy of the picture.").arg(shape);
    if (!p) return tr("%1 by cropping.").arg(shape);
    const VideoFacts& v = dynamic_cast<const SourceStage&>(*p->source).reader().clip().facts().video;
    return tr("%1 by cropping; %2 % of the picture stays.")
        .arg(shape)
        .arg(std::lround(100 * p->plan.srcW * p->plan.srcH / (double(v.width) * v.height)));
}

QString finishSentence(const Ticket& t) {
    const auto& f = t.finish;
    if (!f.acts()) return tr("No sharpening, no grain.");
    QStringList parts;
    if (f.amount > 0) parts << tr("sharpen %1 at %2 px").arg(number(f.amount, 2), number(f.radius, 1));
    if (f.detail.any()) {
        QStringList bands;
        for (const double g : {f.detail.finest, f.detail.fine, f.detail.medium, f.detail.coarse}) bands << number(g, 2);
        parts << tr("detail %1").arg(bands.join(" / "));
    }
    if (f.grain.amount > 0) parts << tr("grain %1 of %2 px").arg(number(f.grain.amount, 2), number(f.grain.size, 1));
    QString all = parts.join(", ");
    all[0] = all[0].toUpper();
    return all + ".";
}

QString soundSentence(const Ticket& t, const ClipEntry& c) {
    if (c.clip->facts().audio.empty()) return tr("The clip has none.");
    if (!t.sound.on || t.sound.mode == "drop") return tr("Left out.");
    return t.sound.mode == "aac" ? tr("Encoded as AAC.") : tr("Kept untouched where MP4 can carry it.");
}

QString deliverSentence(const Ticket& t, const Pipeline* p) {
    QString how;
    if (t.deliver.rate == "size")
        how = tr("under %1 MB in two passes").arg(number(t.deliver.sizeMb, 1));
    else if (t.deliver.rate == "quality")
        how = t.deliver.quality == "small"  ? tr("small file")
              : t.deliver.quality == "best" ? tr("best quality")
                                            : tr("good quality");
    else
        how = tr("%1 kb/s").arg(number(t.deliver.bitrate, 0)) +
              (t.deliver.rate == "variable" && t.deliver.twoPass ? tr(" in two passes") : "");
    QString s = tr("MP4, H.264, %1").arg(how);
    if (t.stretch.on && p) s += tr("; %1 s of the clip").arg(QString::number(p->seconds(), 'f', 2));
    return s + ".";
}

} // namespace ulm::app
