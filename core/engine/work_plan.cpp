#include "core/engine/work_plan.h"

#include <algorithm>
#include <fstream>
#include <memory>
#include <mutex>
#include <opencv2/core/utility.hpp>
#include <optional>
#include <string>
#include <tbb/global_control.h>
#include <thread>
#include <unistd.h>

namespace ulm {
namespace {

constexpr std::int64_t kLeast = std::int64_t(512) << 20;

std::mutex mutex;
std::optional<WorkPlan> chosen;
std::unique_ptr<tbb::global_control> threads;

} // namespace

WorkPlan usualPlan() {
    const std::int64_t all = std::int64_t(::sysconf(_SC_PHYS_PAGES)) * ::sysconf(_SC_PAGESIZE);
    return {static_cast<int>(std::clamp(std::thread::hardware_concurrency(), 1u, 16u)), std::max(kLeast, all / 4 * 3)};
}

WorkPlan workPlan() {
    std::lock_guard lock(mutex);
    return chosen.value_or(usualPlan());
}

void setWorkPlan(WorkPlan plan) {
    plan.cores = std::clamp(plan.cores, 1, 64);
    plan.memory = std::max(plan.memory, kLeast);
    std::lock_guard lock(mutex);
    chosen = plan;
    threads.reset(); // the strictest of all controls holds: the old one goes first
    threads = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism,
                                                    static_cast<std::size_t>(plan.cores));
    cv::setNumThreads(plan.cores);
}

std::size_t cacheShare(std::size_t wanted, double share) {
    return std::min(wanted, static_cast<std::size_t>(share * double(workPlan().memory)));
}

std::int64_t memoryToTake() {
    std::int64_t most = workPlan().memory;
    std::ifstream list("/proc/meminfo");
    std::string word;
    while (list >> word)
        if (std::int64_t kilobytes = 0; word == "MemAvailable:" && list >> kilobytes)
            return std::min(most, kilobytes * 1024);
    return most;
}

} // namespace ulm
