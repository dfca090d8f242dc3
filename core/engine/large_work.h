#pragma once

#include "core/engine/cancel.h"

namespace ulm {

/// Whether frames of this size are held by the dozen only in turn: of 4K, each takes 30 MB and more.
bool isLargeFrame(double width, double height);

/// While one lives, frames are held by the dozen: a forecast encodes them. Background work on large frames makes way.
class LargeWork {
public:
    explicit LargeWork(bool large);
    ~LargeWork();
    LargeWork(const LargeWork&) = delete;
    LargeWork& operator=(const LargeWork&) = delete;
    static bool underWay();
    /// Returns once none is. Throws Cancelled.
    static void waitForEnd(const CancelToken&);

private:
    bool counts_;
};

} // namespace ulm
