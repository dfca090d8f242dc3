#include "core/picture/buffer_pool.h"

#include <cstdint>
#include <cstdlib>
#include <map>
#include <mutex>
#include <new>
#include <vector>

namespace ulm {
namespace {

constexpr std::size_t kMost = std::size_t(96) << 20;

struct OneSize {
    std::vector<void*> free;
    std::uint64_t given = 0; // when last
};

struct Pool {
    std::mutex mutex;
    std::map<std::size_t, OneSize> sizes;
    std::size_t held = 0;
    std::uint64_t now = 0;

    // Until there is room for `bytes` more: what nobody asks for any more would keep all else from being recycled.
    void makeRoom(std::size_t bytes) {
        while (held + bytes > kMost && !sizes.empty()) {
            auto oldest = sizes.begin();
            for (auto it = sizes.begin(); it != sizes.end(); ++it)
                if (it->second.given < oldest->second.given) oldest = it;
            std::free(taken(oldest));
        }
    }
    void* taken(std::map<std::size_t, OneSize>::iterator same) {
        void* const p = same->second.free.back();
        same->second.free.pop_back();
        held -= same->first;
        if (same->second.free.empty()) sizes.erase(same);
        return p;
    }
};

Pool& pool() {
    static Pool* const all = new Pool; // outlives every static that may hold a plane
    return *all;
}

} // namespace

void* BufferPool::take(std::size_t bytes) {
    bytes = rounded(bytes);
    {
        Pool& all = pool();
        std::lock_guard lock(all.mutex);
        if (const auto same = all.sizes.find(bytes); same != all.sizes.end()) return all.taken(same);
    }
    void* const p = std::aligned_alloc(64, bytes);
    if (!p) throw std::bad_alloc();
    return p;
}

void BufferPool::give(void* buffer, std::size_t bytes) {
    if (!buffer) return;
    bytes = rounded(bytes);
    if (bytes > kMost) return std::free(buffer);
    Pool& all = pool();
    std::lock_guard lock(all.mutex);
    all.makeRoom(bytes);
    OneSize& same = all.sizes[bytes];
    same.free.push_back(buffer), same.given = ++all.now;
    all.held += bytes;
}

std::size_t BufferPool::held() {
    Pool& all = pool();
    std::lock_guard lock(all.mutex);
    return all.held;
}

} // namespace ulm
