#include "core/motion/mend.h"

#include "core/model/arithmetic.h"
#include "core/model/shipped_networks.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

// The network sees cells of 4 × 4 pixels: each one's samples as channels. A tile is so many cells, without its rim.
constexpr int kCell = 4, kCells = 32, kRim = 4, kAll = kCells + 2 * kRim, kOf = kCell * kCell;
static_assert((kRim + 1) * kCell <= kMendMargin); // cells may begin before the region
constexpr int kChannels = 4 * kOf + 1;

// A cell whose sides are unlike by less on average (of luma's range), and whose doubt is less (8-bit steps), is left as
// it is; from twice as much on the network's word counts fully.
constexpr float kQuiet = 2.0f / 219, kSure = 4;

constexpr float kDetail = 2, kDiffer = 8, kFrames = 4, kDoubt = 1.0f / 64, kMostDoubt = 8, kAdded = 0.125f;

constexpr int kSide = kAll * kCell;
constexpr std::size_t kCellsInAll = std::size_t(kAll) * kAll;

// A tile's samples: where they lie, or a copy.
class Seen {
public:
    // Beyond what the plane holds its rim is repeated, in the copy.
    void look(const Plane& p, int left, int top) {
        const Rect held = p.area();
        if (held.contains(Rect{left, top, kSide, kSide})) {
            first_ = p.row(top) + (left - held.x), stride_ = p.stride();
            return;
        }
        copy_.resize(std::size_t(kSide) * kSide);
        const int from = std::clamp(left, held.x, held.right()), past = std::clamp(left + kSide, from, held.right());
        for (int y = 0; y < kSide; ++y) {
            const float* row = p.row(std::clamp(top + y, held.y, held.bottom() - 1));
            float* const t = copy_.data() + std::ptrdiff_t(y) * kSide;
            std::copy(row + (from - held.x), row + (past - held.x), t + (from - left));
            std::fill(t, t + (from - left), row[std::min(from - held.x, held.w - 1)]);
            std::fill(t + (past - left), t + kSide, row[std::max(past - held.x - 1, 0)]);
        }
        first_ = copy_.data(), stride_ = kSide;
    }
    const float* row(int y) const { return first_ + y * stride_; }

private:
    const float* first_ = nullptr;
    std::ptrdiff_t stride_ = 0;
    std::vector<float> copy_;
};

// Each cell's mean, of the samples or of their sizes.
template <bool kSizes>
void means(const Seen& p, float* cells) {
    for (int row = 0; row < kAll; ++row) {
        std::array<float, kSide> sums{};
        for (int y = 0; y < kCell; ++y) {
            const float* const from = p.row(row * kCell + y);
            for (std::size_t x = 0; x < kSide; ++x) sums[x] += kSizes ? std::abs(from[x]) : from[x];
        }
        for (std::size_t c = 0; c < kAll; ++c)
            cells[std::size_t(row) * kAll + c] =
                (sums[4 * c] + sums[4 * c + 1] + sums[4 * c + 2] + sums[4 * c + 3]) / kOf;
    }
}

struct Tile {
    Seen mixed, differ, before, after, uncertain;
    std::vector<float> input = std::vector<float>(kChannels * kCellsInAll); // a cell's channels side by side
    std::vector<float> added = std::vector<float>(kOf * kCellsInAll);       // a cell's samples side by side
    std::vector<float> mean = std::vector<float>(kCellsInAll), doubt = mean, unquiet = mean;

    void weigh(const MendedFrom& in, int left, int top) {
        uncertain.look(in.doubt, left, top), differ.look(in.differ, left, top);
        means<false>(uncertain, doubt.data());
        means<true>(differ, mean.data());
        for (std::size_t c = 0; c < kCellsInAll; ++c) unquiet[c] = mean[c] / kQuiet + doubt[c] / kSure;
    }
    // How much of what the network adds counts in a cell within the rim, by it and those around it: 0 … 1.
    float counts(int column, int row) const {
        float sum = 0;
        for (int y = row - 1; y <= row + 1; ++y)
            for (int x = column - 1; x <= column + 1; ++x) sum += unquiet[std::size_t(y) * kAll + std::size_t(x)];
        return std::clamp(sum / 9 - 1, 0.f, 1.f);
    }
    // What the network sees, after weigh(): of each cell its samples without their mean, what its sides differ by, what
    // each frame has more than it, and the doubt.
    void fill(const MendedFrom& in, int left, int top) {
        mixed.look(in.mixed, left, top), before.look(in.before, left, top), after.look(in.after, left, top);
        means<false>(mixed, mean.data());
        float* to = input.data();
        for (std::size_t c = 0; c < kCellsInAll; ++c, to += kChannels) {
            const int y0 = int(c / kAll) * kCell, x0 = int(c % kAll) * kCell;
            for (int y = 0; y < kCell; ++y) {
                const float *const m = mixed.row(y0 + y) + x0, *const d = differ.row(y0 + y) + x0,
                                   *const a = before.row(y0 + y) + x0, *const b = after.row(y0 + y) + x0;
                float* const t = to + y * kCell;
                for (int x = 0; x < kCell; ++x) {
                    t[x] = kDetail * (m[x] - mean[c]);
                    t[kOf + x] = kDiffer * d[x];
                    t[2 * kOf + x] = kFrames * (a[x] - m[x]);
                    t[3 * kOf + x] = kFrames * (b[x] - m[x]);
                }
            }
            to[4 * kOf] = kDoubt * std::min(doubt[c], kMostDoubt / kDoubt);
        }
    }
};

void addCell(const float* added, float share, int left, int top, Plane& out) {
    const Rect here = Rect{left, top, kCell, kCell}.intersected(out.area());
    for (int y = here.y; y < here.bottom(); ++y)
        for (int x = here.x; x < here.right(); ++x)
            out.row(y)[x - out.area().x] += share * kAdded * added[(y - top) * kCell + x - left];
}

} // namespace

std::shared_ptr<const Network> mendingNetwork() {
    return shippedNetwork("between", arithmeticPlan().arithmetic().precision); // tiles are too small for graphics
}

void mend(const Network& network, const MendedFrom& in, Plane& out, const CancelToken& cancel) {
    copySamples(in.mixed.view(out.area()), out);
    const Rect all = out.area();
    const auto down = [](int v) { return v - ((v % kCell) + kCell) % kCell; };
    constexpr int kStep = kCells * kCell;
    Tile tile;
    for (int top = down(all.y); top < all.bottom(); top += kStep)
        for (int left = down(all.x); left < all.right(); left += kStep) {
            cancel.check();
            const int x0 = left - kRim * kCell, y0 = top - kRim * kCell;
            tile.weigh(in, x0, y0);
            struct Mended {
                int column, row;
                float share;
            };
            std::vector<Mended> mended;
            for (int row = kRim; row < kRim + kCells && y0 + row * kCell < all.bottom(); ++row)
                for (int column = kRim; column < kRim + kCells && x0 + column * kCell < all.right(); ++column)
                    if (const float share = tile.counts(column, row); share > 0) mended.push_back({column, row, share});
            if (mended.empty()) continue;
            tile.fill(in, x0, y0);
            network.runInterleaved(tile.input.data(), kAll, kAll, tile.added.data());
            for (const Mended& m : mended)
                addCell(tile.added.data() + (m.row * kAll + m.column) * kOf, m.share, x0 + m.column * kCell,
                        y0 + m.row * kCell, out);
        }
}

} // namespace ulm
