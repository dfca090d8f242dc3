#include "core/engine/large_work.h"

#include <chrono>
#include <thread>

namespace ulm {
namespace {

constexpr double kLarge = 5e6; // pixels
std::atomic<int> running{0};

} // namespace

bool isLargeFrame(double width, double height) { return width * height > kLarge; }

LargeWork::LargeWork(bool large) : counts_(large) {
    if (counts_) ++running;
}

LargeWork::~LargeWork() {
    if (counts_) --running;
}

bool LargeWork::underWay() { return running > 0; }

void LargeWork::waitForEnd(const CancelToken& cancel) {
    while (underWay()) {
        cancel.check();
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
}

} // namespace ulm
