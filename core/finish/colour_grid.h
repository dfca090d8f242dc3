#pragma once

#include <array>
#include <vector>

namespace ulm {

struct MatrixWeights;

/// A look-up table of three dimensions: what becomes of the colours of a regular grid, tetrahedral between them
/// (Kasson, Nin, Plouffe & Hafner 1995).
class ColourGrid {
public:
    /// entries: R, G, B of side³ colours, red fastest; what is no number becomes black. low, high: R', G' and B' of the
    /// grid's first and last entries, low < high; colours beyond them are held at them. side: at least 2.
    ColourGrid(int side, const std::vector<float>& entries, const std::array<float, 3>& low,
               const std::array<float, 3>& high);

    /// Maps `count` colours, Y', Cb, Cr of the given matrix, in place; strength, [0, 1]: how much of what it changes is
    /// kept. What comes out of the table lies in [-0.25, 1.5]. Rows hold as many values as make up a whole vector.
    void map(const MatrixWeights& matrix, float strength, float* y, float* cb, float* cr, int count) const;

    // For the code of each processor.
    static constexpr float kLeast = -0.25f, kMost = 1.5f;
    int side;
    std::vector<float> corners; ///< R, G, B and nothing of each entry
    std::array<float, 3> low, scale;
};

} // namespace ulm
