#include "core/model/net_graph.h"

#include "core/base/error.h"

#include <cmath>

namespace ulm {
namespace {

constexpr int kMostSide = 1 << 20;

std::int64_t convolved(std::int64_t n, int pads, int kernel, int stride, int dilation) {
    const std::int64_t room = n + pads - (std::int64_t(kernel) - 1) * dilation - 1;
    return room < 0 ? 0 : room / stride + 1;
}

std::array<std::int64_t, 2> sizeAfter(const NetNode& n, const NetSize& in) {
    const std::array<std::int64_t, 2> from{in.rows, in.columns};
    std::array<std::int64_t, 2> to = from;
    for (int a = 0; a < 2; ++a) {
        const int pads = n.pads[a] + n.pads[a + 2];
        switch (n.op) {
        case NetOp::Conv: to[a] = convolved(from[a], pads, n.kernel[a], n.stride[a], n.dilation[a]); break;
        case NetOp::ConvTranspose:
            to[a] = (from[a] - 1) * n.stride[a] - pads + (std::int64_t(n.kernel[a]) - 1) * n.dilation[a] +
                    n.outputPadding[a] + 1;
            break;
        case NetOp::DepthToSpace: to[a] = from[a] * n.block; break;
        case NetOp::SpaceToDepth: to[a] = from[a] % n.block ? 0 : from[a] / n.block; break;
        case NetOp::Resize: to[a] = static_cast<std::int64_t>(std::floor(double(from[a]) * n.factor[a])); break;
        case NetOp::Average: to[a] = 1; break;
        case NetOp::Pad:
            to[a] = from[a] + pads;
            if (n.pad == PadKind::Mirror && std::max(n.pads[a], n.pads[a + 2]) >= from[a]) to[a] = 0;
            break;
        default: break;
        }
    }
    return to;
}

} // namespace

std::vector<NetSize> sizesFor(const NetGraph& g, int rows, int columns, const std::string& file) {
    std::vector<NetSize> sizes(static_cast<std::size_t>(g.values));
    sizes[0] = {g.inputChannels, rows, columns};
    for (const NetNode& n : g.nodes) {
        const NetSize* first = nullptr;
        const bool arithmetic = n.op == NetOp::Add || n.op == NetOp::Sub || n.op == NetOp::Mul;
        for (int v : n.in) {
            if (v < 0) continue;
            const NetSize& s = sizes[static_cast<std::size_t>(v)];
            const bool onePixel = arithmetic && s.rows == 1 && s.columns == 1;
            if (first && arithmetic && first->rows == 1 && first->columns == 1) first = &s;
            if (first && !onePixel && (first->rows != s.rows || first->columns != s.columns))
                throw Error(Fault::Input, file, "its step \"" + n.name + "\" joins pictures of different sizes",
                            "Export the network again, with one picture in and one out.");
            if (!first) first = &s;
        }
        const auto [h, w] = sizeAfter(n, *first);
        if (h < 1 || w < 1 || h > kMostSide || w > kMostSide)
            throw Error(Fault::Input, file,
                        "its step \"" + n.name + "\" makes no picture of an input of " + std::to_string(columns) + "×" +
                            std::to_string(rows),
                        "Export the network again, or use another.");
        sizes[static_cast<std::size_t>(n.out)] = {n.channels, static_cast<int>(h), static_cast<int>(w)};
    }
    return sizes;
}

} // namespace ulm
