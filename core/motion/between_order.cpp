#include "core/motion/between_order.h"

#include "core/motion/between_field.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

struct Path {
    float u, v, a, b; // where it leads, and the share of each side
    float share() const { return a + b; }
};

// What is shown wrongly half way between two places of a layer: where one does not count, its path can be the other's.
float leap(const Path& p, const Path& q) {
    const float least = std::min(p.share(), q.share());
    return least * (std::abs(p.u - q.u) + std::abs(p.v - q.v));
}

template <std::size_t N>
class Ordered {
public:
    explicit Ordered(const BetweenField& f) : w_(f.doubt.cols), h_(f.doubt.rows), at_(f.doubt.total()) {
        for (std::size_t k = 0; k < N; ++k)
            for (int y = 0; y < h_; ++y) {
                const BetweenLayer& l = f.layers[k];
                const float *u = l.dx.ptr<float>(y), *v = l.dy.ptr<float>(y), *a = l.shareA.ptr<float>(y),
                            *b = l.shareB.ptr<float>(y);
                for (int x = 0; x < w_; ++x) place(x, y)[k] = {u[x], v[x], a[x], b[x]};
            }
    }
    // Of all ways to lay a place's paths into layers the one that goes on best from its neighbours.
    void order() {
        for (int y = 0; y < h_; ++y)
            for (int x = 0; x < w_; ++x) {
                std::array<const Place*, 3> before; // that were ordered already
                std::size_t count = 0;
                if (x > 0) before[count++] = &place(x - 1, y);
                if (y > 0) before[count++] = &place(x, y - 1);
                if (y > 0 && x + 1 < w_) before[count++] = &place(x + 1, y - 1);
                Place& here = place(x, y);
                const Place was = here;
                const auto leaps = [&](std::size_t path, std::size_t layer) {
                    float sum = 0;
                    for (std::size_t n = 0; n < count; ++n) sum += leap(was[path], (*before[n])[layer]);
                    return sum;
                };
                std::array<std::array<float, N>, N> all; // of each path in each layer
                float least = 0;
                for (std::size_t k = 0; k < N; ++k) least += all[k][k] = leaps(k, k);
                if (least == 0) continue;
                for (std::size_t p = 0; p < N; ++p)
                    for (std::size_t k = 0; k < N; ++k)
                        if (p != k) all[p][k] = leaps(p, k);
                std::array<std::size_t, N> way;
                for (std::size_t k = 0; k < N; ++k) way[k] = k;
                while (std::next_permutation(way.begin(), way.end())) {
                    float sum = 0;
                    for (std::size_t k = 0; k < N; ++k) sum += all[way[k]][k];
                    if (sum >= least) continue;
                    least = sum;
                    for (std::size_t k = 0; k < N; ++k) here[k] = was[way[k]];
                }
            }
    }
    // What does not count takes the path of the neighbour that counts most; shares stay.
    void goOn() {
        for (int y = 0; y < h_; ++y)
            for (int x = 0; x < w_; ++x)
                for (std::size_t k = 0; k < N; ++k) {
                    Path& here = place(x, y)[k];
                    if (here.share() > 0) continue;
                    float most = 0;
                    const auto offer = [&](const Path& p) {
                        if (p.share() > most) most = p.share(), here.u = p.u, here.v = p.v;
                    };
                    if (x > 0) offer(place(x - 1, y)[k]);
                    if (x + 1 < w_) offer(place(x + 1, y)[k]);
                    if (y > 0) offer(place(x, y - 1)[k]);
                    if (y + 1 < h_) offer(place(x, y + 1)[k]);
                }
    }
    void write(BetweenField& f) {
        for (std::size_t k = 0; k < N; ++k)
            for (int y = 0; y < h_; ++y) {
                BetweenLayer& l = f.layers[k];
                float *u = l.dx.ptr<float>(y), *v = l.dy.ptr<float>(y), *a = l.shareA.ptr<float>(y),
                      *b = l.shareB.ptr<float>(y);
                for (int x = 0; x < w_; ++x) {
                    const Path& p = place(x, y)[k];
                    u[x] = p.u, v[x] = p.v, a[x] = p.a, b[x] = p.b;
                }
            }
    }

private:
    using Place = std::array<Path, N>;
    Place& place(int x, int y) { return at_[std::size_t(y) * std::size_t(w_) + std::size_t(x)]; }
    int w_, h_;
    std::vector<Place> at_;
};

template <std::size_t N>
void orderOf(BetweenField& field) {
    Ordered<N> all(field);
    all.order();
    all.goOn();
    all.write(field);
}

} // namespace

void orderLayers(BetweenField& field) {
    if (field.layers.size() == 2) orderOf<2>(field);
    if (field.layers.size() == 3) orderOf<3>(field);
}

} // namespace ulm
