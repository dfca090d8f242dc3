#include "core/motion/mend.h"

#include "core/model/arithmetic.h"
#include "core/model/shipped_networks.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ulm {
namespace {

// The network sees cells of 4 × 4 pixels: each one's samples as channels. It runs over parts of equal size and a rim
// around them, at most so many cells wide and high: each size is made ready by itself, which takes as long as running
// it often.
constexpr int kCell = 4, kRim = 4, kOf = kCell * kCell;
constexpr int kMostCells[] = {48, 24, 12};
static_assert((kRim + 1) * kCell <= kMendMargin); // cells may begin before the region
constexpr int kChannels = 4 * kOf + 1;

// A cell whose sides are unlike by less on average (of luma's range), and whose doubt is less (8-bit steps), is left as
// it is; from twice as much on the network's word counts fully.
constexpr float kQuiet = 2.0f / 219, kSure = 4;

constexpr float kDetail = 2, kDiffer = 8, kFrames = 4, kDoubt = 1.0f / 64, kMostDoubt = 8, kAdded = 0.125f;

// Cells of a picture: the first one's place, pixels, and how many there are.
struct Cells {
    int left, top, columns, rows;
    Rect pixels() const { return {left, top, columns * kCell, rows * kCell}; }
    std::size_t count() const { return std::size_t(columns) * std::size_t(rows); }
};

// Their samples: where they lie, or a copy, in which the rim is repeated beyond what the plane holds.
class Seen {
public:
    Seen(const Plane& p, const Cells& cells) {
        const Rect held = p.area(), seen = cells.pixels();
        if (held.contains(seen)) {
            first_ = p.row(seen.y) + (seen.x - held.x), stride_ = p.stride();
            return;
        }
        copy_.resize(std::size_t(seen.pixels()));
        const int from = std::clamp(seen.x, held.x, held.right()), past = std::clamp(seen.right(), from, held.right());
        for (int y = 0; y < seen.h; ++y) {
            const float* row = p.row(std::clamp(seen.y + y, held.y, held.bottom() - 1));
            float* const t = copy_.data() + std::ptrdiff_t(y) * seen.w;
            std::copy(row + (from - held.x), row + (past - held.x), t + (from - seen.x));
            std::fill(t, t + (from - seen.x), row[std::min(from - held.x, held.w - 1)]);
            std::fill(t + (past - seen.x), t + seen.w, row[std::max(past - held.x - 1, 0)]);
        }
        first_ = copy_.data(), stride_ = seen.w;
    }
    const float* row(int y) const { return first_ + y * stride_; }

private:
    const float* first_ = nullptr;
    std::ptrdiff_t stride_ = 0;
    std::vector<float> copy_;
};

// Each cell's mean, of the samples or of their sizes.
template <bool kSizes>
std::vector<float> means(const Seen& p, const Cells& cells) {
    std::vector<float> all;
    all.reserve(cells.count());
    std::vector<float> sums(std::size_t(cells.columns) * kCell);
    for (int row = 0; row < cells.rows; ++row) {
        std::ranges::fill(sums, 0.f);
        for (int y = 0; y < kCell; ++y) {
            const float* const from = p.row(row * kCell + y);
            for (std::size_t x = 0; x < sums.size(); ++x) sums[x] += kSizes ? std::abs(from[x]) : from[x];
        }
        for (std::size_t x = 0; x < sums.size(); x += kCell)
            all.push_back((sums[x] + sums[x + 1] + sums[x + 2] + sums[x + 3]) / kOf);
    }
    return all;
}

// How much of what the network adds counts in each cell, by it and those around it: 0 … 1.
class Shares {
public:
    Shares(const MendedFrom& in, const Cells& cells) : columns_(cells.columns) {
        const Cells wider{cells.left - kCell, cells.top - kCell, cells.columns + 2, cells.rows + 2};
        std::vector<float> unquiet;
        for (int row = 0; row < wider.rows; ++row) { // a line at a time: what is copied of it stays small
            const Cells line{wider.left, wider.top + row * kCell, wider.columns, 1};
            const std::vector<float> differ = means<true>(Seen(in.differ, line), line),
                                     doubt = means<false>(Seen(in.doubt, line), line);
            for (std::size_t c = 0; c < differ.size(); ++c) unquiet.push_back(differ[c] / kQuiet + doubt[c] / kSure);
        }
        const auto stride = std::size_t(wider.columns);
        for (std::size_t row = 0; row < std::size_t(cells.rows); ++row)
            for (std::size_t column = 0; column < std::size_t(cells.columns); ++column) {
                const float* const u = unquiet.data() + row * stride + column;
                float sum = 0;
                for (std::size_t y = 0; y < 3; ++y)
                    for (std::size_t x = 0; x < 3; ++x) sum += u[y * stride + x];
                all_.push_back(std::clamp(sum / 9 - 1, 0.f, 1.f));
            }
    }
    float at(int column, int row) const { return all_[std::size_t(row) * std::size_t(columns_) + std::size_t(column)]; }
    bool anyIn(const Rect& cells) const {
        for (int row = cells.y; row < cells.bottom(); ++row)
            for (int column = cells.x; column < cells.right(); ++column)
                if (at(column, row) > 0) return true;
        return false;
    }

private:
    int columns_;
    std::vector<float> all_;
};

// What the network sees of cells, one after the other: of each its samples without their mean, what its sides differ
// by, what each frame has more than it, and the doubt.
std::vector<float> seenBy(const MendedFrom& in, const Cells& cells) {
    const Seen mixed(in.mixed, cells), differ(in.differ, cells), before(in.before, cells), after(in.after, cells);
    const std::vector<float> mean = means<false>(mixed, cells), doubt = means<false>(Seen(in.doubt, cells), cells);
    std::vector<float> all(kChannels * cells.count());
    float* to = all.data();
    for (std::size_t c = 0; c < cells.count(); ++c, to += kChannels) {
        const int y0 = int(c) / cells.columns * kCell, x0 = int(c) % cells.columns * kCell;
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
    return all;
}

int over(int count, int most) { return (count + most - 1) / most; }

// Parts of a region in which something counts, and how many cells the largest of them has.
struct Parts {
    int columns = 0, rows = 0;
    std::vector<Rect> all; ///< cells
    std::int64_t cost() const { return std::int64_t(all.size()) * (columns + 2 * kRim) * (rows + 2 * kRim); }
};

// Small parts leave more out, large ones have less rim.
Parts cheapest(const Shares& shares, const Cells& cells) {
    Parts best;
    for (const int most : kMostCells) {
        Parts p{over(cells.columns, over(cells.columns, most)), over(cells.rows, over(cells.rows, most)), {}};
        for (int y = 0; y < cells.rows; y += p.rows)
            for (int x = 0; x < cells.columns; x += p.columns) {
                const Rect part = Rect{x, y, p.columns, p.rows}.intersected({0, 0, cells.columns, cells.rows});
                if (shares.anyIn(part)) p.all.push_back(part);
            }
        if (best.columns == 0 || p.cost() < best.cost()) best = std::move(p);
    }
    return best;
}

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
    const Cells cells{down(all.x), down(all.y), over(all.right() - down(all.x), kCell),
                      over(all.bottom() - down(all.y), kCell)};
    const Shares shares(in, cells);
    const Parts parts = cheapest(shares, cells);
    std::vector<float> added;
    for (const Rect& part : parts.all) {
        cancel.check();
        const Cells seen{cells.left + (part.x - kRim) * kCell, cells.top + (part.y - kRim) * kCell,
                         parts.columns + 2 * kRim, parts.rows + 2 * kRim};
        added.resize(kOf * seen.count());
        network.runInterleaved(seenBy(in, seen).data(), seen.rows, seen.columns, added.data());
        for (int row = part.y; row < part.bottom(); ++row)
            for (int column = part.x; column < part.right(); ++column)
                if (const float share = shares.at(column, row); share > 0)
                    addCell(added.data() + kOf * ((row - part.y + kRim) * seen.columns + column - part.x + kRim), share,
                            cells.left + column * kCell, cells.top + row * kCell, out);
    }
}

} // namespace ulm
