#include "core/motion/between_order.h"

#include "core/motion/between_field.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <opencv2/core/hal/intrin.hpp>
#include <utility>
#include <vector>

namespace ulm {
namespace {

// Where each layer's path leads, and how much it counts; always four, the last ones empty, which are compared at once.
struct Place {
    alignas(16) float u[4] = {}, v[4] = {}, share[4] = {};
};

struct Paths {
    cv::v_float32x4 u, v, share;
};
Paths all(const Place& p) { return {cv::v_load_aligned(p.u), cv::v_load_aligned(p.v), cv::v_load_aligned(p.share)}; }
Paths only(const Place& p, std::size_t k) {
    return {cv::v_setall_f32(p.u[k]), cv::v_setall_f32(p.v[k]), cv::v_setall_f32(p.share[k])};
}

// What is shown wrongly half way between two places of a layer: where one does not count, its path can be the other's.
cv::v_float32x4 leap(const Paths& p, const Paths& q) {
    return cv::v_min(p.share, q.share) * (cv::v_absdiff(p.u, q.u) + cv::v_absdiff(p.v, q.v));
}

// All ways to lay a place's paths into its layers, as they are first.
template <std::size_t N>
constexpr auto waysOf() {
    std::array<std::array<std::uint8_t, N>, N == 2 ? 2 : 6> all;
    std::array<std::uint8_t, N> way;
    for (std::size_t k = 0; k < N; ++k) way[k] = static_cast<std::uint8_t>(k);
    for (auto& w : all) {
        w = way;
        std::next_permutation(way.begin(), way.end());
    }
    return all;
}

struct Row {
    float *u, *v, *a, *b;
};
Row rowOf(BetweenLayer& l, int y) {
    return {l.dx.ptr<float>(y), l.dy.ptr<float>(y), l.shareA.ptr<float>(y), l.shareB.ptr<float>(y)};
}

template <std::size_t N>
class Order {
public:
    explicit Order(BetweenField& f) : f_(f), w_(static_cast<std::size_t>(f.doubt.cols)), above_(w_), here_(w_) {}
    void run() {
        for (int y = 0; y < f_.doubt.rows; ++y) {
            for (std::size_t k = 0; k < N; ++k) rows_[k] = rowOf(f_.layers[k], y);
            read();
            for (std::size_t x = 0; x < w_; ++x) order(x, y > 0);
            std::swap(above_, here_);
        }
    }

private:
    void read() {
        for (std::size_t x = 0; x < w_; ++x)
            for (std::size_t k = 0; k < N; ++k) {
                const Row& r = rows_[k];
                here_[x].u[k] = r.u[x], here_[x].v[k] = r.v[x], here_[x].share[k] = r.a[x] + r.b[x];
            }
    }
    // Of all ways to lay a place's paths into layers the one that goes on best from its neighbours.
    void order(std::size_t x, bool below) {
        std::array<const Place*, 3> before; // that were ordered already
        std::size_t count = 0;
        if (x > 0) before[count++] = &here_[x - 1];
        if (below) before[count++] = &above_[x];
        if (below && x + 1 < w_) before[count++] = &above_[x + 1];
        const Place& was = here_[x];
        const auto leaps = [&](const Paths& p) {
            cv::v_float32x4 sum = cv::v_setzero_f32();
            for (std::size_t n = 0; n < count; ++n) sum += leap(p, all(*before[n]));
            return sum;
        };
        if (cv::v_check_all(leaps(all(was)) == cv::v_setzero_f32())) return;
        alignas(16) float each[N][4] = {}; // of each path in each layer
        for (std::size_t p = 0; p < N; ++p) cv::v_store_aligned(each[p], leaps(only(was, p)));
        static constexpr auto kWays = waysOf<N>();
        std::size_t best = 0;
        float least = 0;
        for (std::size_t n = 0; n < kWays.size(); ++n) {
            float sum = 0;
            for (std::size_t k = 0; k < N; ++k) sum += each[kWays[n][k]][k];
            if (n == 0 || sum < least) least = sum, best = n;
        }
        if (best > 0) lay(x, kWays[best]);
    }
    void lay(std::size_t x, const std::array<std::uint8_t, N>& way) {
        const Place was = here_[x];
        std::array<float, N> a, b;
        for (std::size_t k = 0; k < N; ++k) a[k] = rows_[k].a[x], b[k] = rows_[k].b[x];
        for (std::size_t k = 0; k < N; ++k) {
            const std::size_t p = way[k];
            here_[x].u[k] = rows_[k].u[x] = was.u[p], here_[x].v[k] = rows_[k].v[x] = was.v[p];
            here_[x].share[k] = was.share[p], rows_[k].a[x] = a[p], rows_[k].b[x] = b[p];
        }
    }

    BetweenField& f_;
    std::size_t w_;
    std::vector<Place> above_, here_;
    std::array<Row, N> rows_{};
};

// What does not count takes the path of the neighbour that counts most; shares stay.
void goOn(BetweenLayer& layer) {
    const int w = layer.dx.cols, h = layer.dx.rows;
    for (int y = 0; y < h; ++y) {
        const Row here = rowOf(layer, y), above = rowOf(layer, std::max(0, y - 1)),
                  below = rowOf(layer, std::min(h - 1, y + 1));
        for (int x = 0; x < w; ++x) {
            if (here.a[x] + here.b[x] > 0) continue;
            float most = 0;
            const auto offer = [&](const Row& r, int at) {
                const float share = r.a[at] + r.b[at];
                if (share > most) most = share, here.u[x] = r.u[at], here.v[x] = r.v[at];
            };
            if (x > 0) offer(here, x - 1);
            if (x + 1 < w) offer(here, x + 1);
            offer(above, x); // at the rim this place itself, which does not count
            offer(below, x);
        }
    }
}

} // namespace

void orderLayers(BetweenField& field) {
    if (field.layers.size() == 2) Order<2>(field).run();
    if (field.layers.size() == 3) Order<3>(field).run();
    for (BetweenLayer& l : field.layers) goOn(l);
}

} // namespace ulm
