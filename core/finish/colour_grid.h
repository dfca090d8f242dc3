#pragma once

#include <array>
#include <cstdint>
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
    /// Luma of the four corners of one of a cube's tetrahedra, in steps of kLumaStep.
    using LumaCell = std::array<std::int16_t, 4>;
    /// Eight of each entry, the cube's lowest: one of each of steps(); 64 bytes an entry.
    std::vector<LumaCell> lumaCells(const MatrixWeights& matrix) const;
    /// Like map(), of luma alone, which is three times as fast; lumaCells() of the same matrix.
    void mapLuma(const std::vector<LumaCell>& cells, const MatrixWeights& matrix, float strength, float* y,
                 const float* cb, const float* cr, int count) const;

    // For the code of each processor.
    static constexpr float kLeast = -0.25f, kMost = 1.5f, kLumaStep = kMost / 32767;
    /// The ways from a cube's lowest entry to a tetrahedron's other corners.
    struct Steps {
        int second, third, last;
    };
    /// Of each order of the parts r, g, b that a colour lies in its cube: r ≥ g counts 1, g ≥ b 2, r ≥ b 4.
    std::array<Steps, 8> steps() const;
    int side;
    std::vector<float> corners; ///< R, G, B in [kLeast, kMost] and nothing, of each entry
    std::array<float, 3> low, scale;
};

} // namespace ulm
