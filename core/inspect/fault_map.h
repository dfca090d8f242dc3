#pragma once

#include "core/picture/rect.h"

#include <cstdint>
#include <vector>

namespace ulm {

/// A reading over a picture, block by block of 16×16 luma pixels: what a heat overlay and the choice of places need.
/// Each block keeps a weighted sum, so neighbours can be pooled.
class FaultMap {
public:
    static constexpr int kBlock = 16;
    FaultMap() = default;
    explicit FaultMap(const Rect& area)
        : area_(area), columns_((area.w + kBlock - 1) / kBlock), rows_((area.h + kBlock - 1) / kBlock),
          sums_(static_cast<std::size_t>(columns_) * rows_), weights_(sums_.size()) {}

    const Rect& area() const { return area_; }
    /// The same readings of a picture that lies elsewhere: its upper left corner at (x, y).
    FaultMap movedTo(int x, int y) const {
        FaultMap out = *this;
        out.area_.x = x, out.area_.y = y;
        return out;
    }
    int columns() const { return columns_; }
    int rows() const { return rows_; }
    Rect block(int column, int row) const {
        return Rect{area_.x + column * kBlock, area_.y + row * kBlock, kBlock, kBlock}.intersected(area_);
    }
    /// x, y: absolute luma pixels inside area().
    void add(int x, int y, double value, double weight = 1) {
        const std::size_t i = index((x - area_.x) / kBlock, (y - area_.y) / kBlock);
        sums_[i] += static_cast<float>(value * weight);
        weights_[i] += static_cast<float>(weight);
    }
    float weight(int column, int row) const { return weights_[index(column, row)]; }
    /// 0 where nothing is known.
    float at(int column, int row) const {
        const std::size_t i = index(column, row);
        return weights_[i] > 0 ? sums_[i] / weights_[i] : 0.f;
    }
    /// The reading at a luma pixel; 0 outside and where nothing is known.
    float atPixel(int x, int y) const {
        return area_.contains({x, y, 1, 1}) ? at((x - area_.x) / kBlock, (y - area_.y) / kBlock) : 0.f;
    }
    double total() const;
    double totalWeight() const;
    /// total over weight; 0 where nothing is known.
    double mean() const { return totalWeight() > 0 ? total() / totalWeight() : 0; }
    /// The same weights, every reading turned into f(reading).
    template <class F>
    FaultMap turned(const F& f) const {
        FaultMap out = *this;
        for (std::size_t i = 0; i < sums_.size(); ++i)
            if (weights_[i] > 0) out.sums_[i] = static_cast<float>(f(double(sums_[i]) / weights_[i])) * weights_[i];
        return out;
    }
    /// Each block pooled with its eight neighbours.
    FaultMap pooled() const;

private:
    std::size_t index(int column, int row) const { return static_cast<std::size_t>(row) * columns_ + column; }
    Rect area_;
    int columns_ = 0, rows_ = 0;
    std::vector<float> sums_, weights_;
};

} // namespace ulm
