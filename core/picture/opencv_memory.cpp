#include "core/picture/opencv_memory.h"

#include "core/picture/buffer_pool.h"

#include <opencv2/core.hpp>

namespace ulm {
namespace {

constexpr std::size_t kFromBytes = 64 << 10; // smaller ones are quicker without

class Recycled : public cv::MatAllocator {
public:
    cv::UMatData* allocate(int dims, const int* sizes, int type, void* given, std::size_t* step, cv::AccessFlag flags,
                           cv::UMatUsageFlags usage) const override {
        std::size_t bytes = CV_ELEM_SIZE(type);
        for (int k = 0; k < dims; ++k) bytes *= std::size_t(sizes[k]);
        if (given || bytes < kFromBytes)
            return cv::Mat::getStdAllocator()->allocate(dims, sizes, type, given, step, flags, usage);
        std::size_t stride = CV_ELEM_SIZE(type);
        for (int k = dims - 1; k >= 0; stride *= std::size_t(sizes[k--]))
            if (step) step[k] = stride;
        auto* const u = new cv::UMatData(this);
        u->data = u->origdata = static_cast<uchar*>(BufferPool::take(bytes));
        u->size = bytes;
        return u;
    }
    bool allocate(cv::UMatData* u, cv::AccessFlag, cv::UMatUsageFlags) const override { return u != nullptr; }
    void deallocate(cv::UMatData* u) const override {
        BufferPool::give(u->origdata, u->size);
        u->origdata = u->data = nullptr;
        delete u;
    }
};

} // namespace

void recycleMatrices() {
    static Recycled* const all = new Recycled; // outlives every matrix
    cv::Mat::setDefaultAllocator(all);
}

} // namespace ulm
