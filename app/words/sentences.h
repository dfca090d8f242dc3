#pragma once

#include "app/project/project.h"
#include "core/judge/self_check.h"
#include "core/pipeline/delivery.h"

#include <QString>

namespace ulm::app {

/// A codec as people write it: "H.264".
QString codecName(const std::string& codec);
QString factsSentence(const ClipEntry&);
QString adviceSentence(const ClipEntry&, const QString& linkColour);
/// All advice for the clip; and that whose step is not on the ticket yet.
std::vector<Advice> allAdvice(const ClipEntry&);
std::vector<Advice> openAdvice(const ClipEntry&);
/// Ticket keys and values that all of openAdvice() together sets; empty where nothing is left to take.
std::map<std::string, std::string> advisedSettings(const ClipEntry&);
/// The steps that can be copied from clip to clip: their ticket keys and names, in order.
const std::vector<std::pair<std::string, QString>>& stepNames();
/// What a spot or an overlay shows, by its key: "Blocks", "Edge width", "Fine texture", "Your spot", …
QString faultName(const QString& key);
/// A reading in as many digits as it deserves.
QString readingText(const QString& key, double value);
/// What a step will do to the clip, by its key; `d` is null while nothing can be worked out.
QString sentenceOf(const std::string& step, const Ticket&, const ClipEntry&, const Delivery* d);
/// Empty while nothing is known.
QString gainSentence(const std::optional<EnlargeGain>&);
QString grainSentence(const std::optional<double>& left);

/// "1.1 MB", "640 KB": powers of ten, as destinations count.
QString byteText(double bytes);
/// "0:03.280".
QString timeText(double seconds);
/// `one`, or `many` with the number in its %1.
QString counted(std::size_t n, const QString& one, const QString& many);
/// "about 2 min" and the like; empty for unknown.
QString leftText(double seconds);

} // namespace ulm::app
