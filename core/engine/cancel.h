#pragma once

#include "core/base/error.h"

#include <atomic>
#include <memory>

namespace ulm {

/// Shared flag by which a newer request, or a person, stops work that is under way. Copies share the flag.
class CancelToken {
public:
    void cancel() const { flag_->store(true, std::memory_order_relaxed); }
    bool cancelled() const { return flag_->load(std::memory_order_relaxed); }
    /// Throws Cancelled once cancel() was called.
    void check() const {
        if (cancelled()) throw Cancelled();
    }

private:
    std::shared_ptr<std::atomic<bool>> flag_ = std::make_shared<std::atomic<bool>>(false);
};

} // namespace ulm
