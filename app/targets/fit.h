#pragma once

#include "app/live/live.h"

namespace ulm::app {

/// How a delivery stands against its destination's limits, in the words of its gauge.
struct FitState {
    enum class Verdict { Unknown, Fits, Squeezed, Over } verdict = Verdict::Unknown;
    QString words;    ///< "31.4 of 72 MB"
    double share = 0; ///< of the limit, for the bar
};
FitState fitOf(const Target& target, Live& live);

} // namespace ulm::app
