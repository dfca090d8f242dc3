#include "core/picture/buffer_pool.h"
#include "core/picture/opencv_memory.h"

#include <catch2/catch.hpp>
#include <cstdint>
#include <memory>
#include <opencv2/core.hpp>

using namespace ulm;

namespace {

constexpr std::size_t kMega = std::size_t(1) << 20;

} // namespace

TEST_CASE("a buffer that was given back is handed out again for the same size, and for no other", "[pool]") {
    void* const first = BufferPool::take(3 * kMega + 5);
    CHECK(reinterpret_cast<std::uintptr_t>(first) % 64 == 0);
    const std::size_t before = BufferPool::held();
    BufferPool::give(first, 3 * kMega + 5);
    CHECK(BufferPool::held() == before + BufferPool::rounded(3 * kMega + 5));
    void* const other = BufferPool::take(4 * kMega + 5);
    CHECK(other != first);
    void* const again = BufferPool::take(3 * kMega + 9); // in whole pages the same
    CHECK(again == first);
    CHECK(BufferPool::held() == before);
    BufferPool::give(again, 3 * kMega + 9);
    BufferPool::give(other, 4 * kMega + 5);
}

TEST_CASE("the pool holds 96 MiB at most, and lets go first of sizes nobody has used for longest", "[pool]") {
    BufferPool::give(BufferPool::take(7 * kMega), 7 * kMega); // asked for once, long ago
    for (std::size_t size = 8; size < 40; ++size) BufferPool::give(BufferPool::take(size * kMega), size * kMega);
    CHECK(BufferPool::held() <= 96 * kMega);
    const std::size_t full = BufferPool::held();
    CHECK(full > 39 * kMega);
    void* const last = BufferPool::take(39 * kMega); // is still there
    CHECK(BufferPool::held() == full - 39 * kMega);
    void* const gone = BufferPool::take(7 * kMega);
    CHECK(BufferPool::held() == full - 39 * kMega); // was let go
    BufferPool::give(last, 39 * kMega);
    BufferPool::give(gone, 7 * kMega);
    const std::size_t before = BufferPool::held();
    BufferPool::give(BufferPool::take(100 * kMega), 100 * kMega); // larger than all that it may hold
    CHECK(BufferPool::held() == before);
}

TEST_CASE("larger matrices of OpenCV's take their memory from the pool and give it back", "[pool]") {
    recycleMatrices();
    const std::size_t bytes = BufferPool::rounded(std::size_t(1000) * 300 * 4);
    auto first = std::make_unique<cv::Mat>(1000, 300, CV_32F, cv::Scalar(1));
    CHECK((*first).step[0] == 1200);
    cv::Mat part = first->rowRange(10, 20); // keeps it
    const void* const where = first->data;
    const std::size_t before = BufferPool::held();
    first.reset();
    CHECK(BufferPool::held() == before);
    CHECK(cv::countNonZero(part == 1) == 3000);
    part.release();
    CHECK(BufferPool::held() == before + bytes);
    const cv::Mat next(1000, 300, CV_32F);
    CHECK(next.data == where);
    const int sizes[] = {2, 3, 50, 400};
    const cv::Mat deep(4, sizes, CV_8U, cv::Scalar(7)); // of any dimension
    CHECK((deep.step[0] == 60000 && deep.step[2] == 400 && deep.total() == 120000));
    std::vector<float> own(20000, 2);
    {
        const cv::Mat over(100, 200, CV_32F, own.data()); // samples of somebody else's stay theirs
        CHECK(cv::sum(over)[0] == 40000);
    }
    CHECK(own[7] == 2);
    const std::size_t now = BufferPool::held();
    cv::Mat(10, 10, CV_32F).release(); // small ones are none of its business
    CHECK(BufferPool::held() == now);
}
