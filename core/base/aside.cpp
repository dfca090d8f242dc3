#include "core/base/aside.h"

#include <atomic>
#include <cstdio>
#include <cstdlib>

namespace ulm {
namespace {

constexpr int kMost = 1;
std::atomic<int> leftBehind{0};

} // namespace

bool mayLeaveBehind() {
    if (leftBehind.fetch_add(1) < kMost) return true;
    --leftBehind;
    return false;
}

void leftBehindEnded() { --leftBehind; }

int leave(int code) {
    if (leftBehind == 0) return code;
    std::fflush(nullptr);
    std::_Exit(code);
}

} // namespace ulm
