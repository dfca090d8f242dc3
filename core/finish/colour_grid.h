#pragma once

#include <array>
#include <vector>

namespace ulm {

struct MatrixWeights;

/// A look-up table of three dimensions: what becomes of the colours of a regular grid, tetrahedral between them
/// (Kasson, Nin, Plouffe & Hafner 1995).
class ColourGrid {
public:
    /// entries: R, G, B of side³ colours, red fastest, held to [kLeast, kMost]; what is no number becomes kLeast. low,
    /// high: R', G' and B' of the grid's first and last entries, low < high; colours beyond them are held at them.
    /// side: at least 2.
    ColourGrid(int side, const std::vector<float>& entries, const std::array<float, 3>& low,
               const std::array<float, 3>& high);

    /// Maps `count` colours, Y', Cb, Cr of the given matrix, in place; strength, [0, 1]: how much of what it changes is
    /// kept. Rows hold as many values as make up a whole vector.
    void map(const MatrixWeights& matrix, float strength, float* y, float* cb, float* cr, int count) const;
    /// Like map(), of luma alone, which is faster: lumas() of the same matrix.
    void mapLuma(const std::vector<float>& lumas, const MatrixWeights& matrix, float strength, float* y,
                 const float* cb, const float* cr, int count) const;
    /// Luma of each entry, red fastest.
    std::vector<float> lumas(const MatrixWeights& matrix) const;

    // For the code of each processor.
    static constexpr float kLeast = -0.25f, kMost = 1.5f;
    int side;
    std::vector<float> corners; ///< R, G, B in [kLeast, kMost] and nothing, of each entry
    std::array<float, 3> low, scale;
};

} // namespace ulm
