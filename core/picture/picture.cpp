#include "core/picture/picture.h"

#include "core/picture/buffer_pool.h"

#include <cstring>

namespace ulm {

Plane Plane::make(const Rect& area) {
    Plane p;
    p.area_ = area;
    p.stride_ = (std::max(area.w, 1) + 15) / 16 * 16;
    // One vector of slack at the end lets kernels read whole vectors on the last row.
    const std::size_t samples = static_cast<std::size_t>(p.stride_) * std::max(area.h, 1) + 16;
    p.bytes_ = BufferPool::rounded(samples * sizeof(float));
    const std::size_t bytes = p.bytes_;
    p.buffer_ = std::shared_ptr<float>(static_cast<float*>(BufferPool::take(bytes)),
                                       [bytes](float* b) { BufferPool::give(b, bytes); });
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
