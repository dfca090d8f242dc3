#include "core/picture/picture.h"

#include <cstdlib>
#include <cstring>
#include <map>
#include <mutex>
#include <new>
#include <vector>

namespace ulm {
namespace {

// Frames are several megabytes: handing them back to the system costs a page fault per 4 KiB at each use, which is
// dearer than most stages. Buffers are recycled by size instead, up to a bound.
class BufferPool {
public:
    float* take(std::size_t bytes) {
        {
            std::lock_guard lock(mutex_);
            if (auto it = free_.find(bytes); it != free_.end() && !it->second.empty()) {
                float* p = it->second.back();
                it->second.pop_back();
                held_ -= bytes;
                return p;
            }
        }
        void* p = std::aligned_alloc(64, bytes);
        if (!p) throw std::bad_alloc();
        return static_cast<float*>(p);
    }
    void give(float* p, std::size_t bytes) {
        {
            std::lock_guard lock(mutex_);
            if (held_ + bytes <= kMost) {
                free_[bytes].push_back(p);
                held_ += bytes;
                return;
            }
        }
        std::free(p);
    }
    static BufferPool& instance() {
        static BufferPool* pool = new BufferPool; // outlives every static that may hold a plane
        return *pool;
    }

private:
    static constexpr std::size_t kMost = std::size_t(96) << 20;
    std::mutex mutex_;
    std::map<std::size_t, std::vector<float*>> free_;
    std::size_t held_ = 0;
};

} // namespace

Plane Plane::make(const Rect& area) {
    Plane p;
    p.area_ = area;
    p.stride_ = (std::max(area.w, 1) + 15) / 16 * 16;
    // One vector of slack at the end lets kernels read whole vectors on the last row.
    const std::size_t samples = static_cast<std::size_t>(p.stride_) * std::max(area.h, 1) + 16;
    p.bytes_ = (samples * sizeof(float) + 4095) / 4096 * 4096;
    const std::size_t bytes = p.bytes_;
    p.buffer_ = std::shared_ptr<float>(BufferPool::instance().take(bytes),
                                       [bytes](float* b) { BufferPool::instance().give(b, bytes); });
    p.data_ = p.buffer_.get();
    return p;
}

Plane Plane::view(const Rect& area) const {
    Plane p = *this;
    p.data_ = data_ + (area.y - area_.y) * stride_ + (area.x - area_.x);
    p.area_ = area;
    return p;
}

Plane Plane::copy() const {
    Plane p = make(area_);
    copySamples(*this, p);
    return p;
}

void copySamples(const Plane& from, Plane& to) {
    const Rect common = from.area().intersected(to.area());
    for (int y = common.y; y < common.bottom(); ++y)
        std::memcpy(to.row(y) + (common.x - to.area().x), from.row(y) + (common.x - from.area().x),
                    sizeof(float) * std::max(0, common.w));
}

Picture Picture::make(const PictureFormat& format, const Rect& area) {
    Picture p{format, area, {}};
    for (int i = 0; i < 3; ++i) p.planes[i] = Plane::make(p.planeArea(i, area));
    return p;
}

Picture Picture::view(const Rect& r) const {
    Picture p{format, r, {}};
    for (int i = 0; i < 3; ++i) p.planes[i] = planes[i].view(planeArea(i, r));
    return p;
}

std::size_t Picture::bufferBytes() const {
    std::size_t sum = 0;
    for (const Plane& p : planes) sum += p.bufferBytes();
    return sum;
}

} // namespace ulm
