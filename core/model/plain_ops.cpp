#include "core/model/plain_ops.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <type_traits>

namespace ulm {
namespace {

using Loop = std::ptrdiff_t;

void convolve(const NetNode& n, const float* in, const NetSize& from, float* out, const NetSize& to) {
    const int inGroup = from.channels / n.groups, outGroup = to.channels / n.groups;
    for (int c = 0; c < to.channels; ++c)
        for (int y = 0; y < to.rows; ++y)
            for (int x = 0; x < to.columns; ++x) {
                float sum = n.bias.empty() ? 0 : n.bias[static_cast<std::size_t>(c)];
                for (int k = 0; k < inGroup; ++k) {
                    const float* plane = in + (Loop(c / outGroup) * inGroup + k) * from.rows * from.columns;
                    const float* w = n.weights.data() + (Loop(c) * inGroup + k) * n.kernel[0] * n.kernel[1];
                    for (int i = 0; i < n.kernel[0]; ++i) {
                        const int sy = y * n.stride[0] + i * n.dilation[0] - n.pads[0];
                        if (sy < 0 || sy >= from.rows) continue;
                        for (int j = 0; j < n.kernel[1]; ++j) {
                            const int sx = x * n.stride[1] + j * n.dilation[1] - n.pads[1];
                            if (sx >= 0 && sx < from.columns)
                                sum += w[i * n.kernel[1] + j] * plane[Loop(sy) * from.columns + sx];
                        }
                    }
                }
                *out++ = sum;
            }
}

void convolveTransposed(const NetNode& n, const float* in, const NetSize& from, float* out, const NetSize& to) {
    const int inGroup = from.channels / n.groups, outGroup = to.channels / n.groups;
    for (int c = 0; c < to.channels; ++c)
        std::fill_n(out + Loop(c) * to.rows * to.columns, Loop(to.rows) * to.columns,
                    n.bias.empty() ? 0.f : n.bias[static_cast<std::size_t>(c)]);
    for (int k = 0; k < from.channels; ++k)
        for (int o = 0; o < outGroup; ++o) {
            const float* w = n.weights.data() + (Loop(k) * outGroup + o) * n.kernel[0] * n.kernel[1];
            float* plane = out + (Loop(k / inGroup) * outGroup + o) * to.rows * to.columns;
            for (int y = 0; y < from.rows; ++y)
                for (int x = 0; x < from.columns; ++x) {
                    const float v = in[(Loop(k) * from.rows + y) * from.columns + x];
                    for (int i = 0; i < n.kernel[0]; ++i) {
                        const int ty = y * n.stride[0] + i * n.dilation[0] - n.pads[0];
                        if (ty < 0 || ty >= to.rows) continue;
                        for (int j = 0; j < n.kernel[1]; ++j) {
                            const int tx = x * n.stride[1] + j * n.dilation[1] - n.pads[1];
                            if (tx >= 0 && tx < to.columns)
                                plane[Loop(ty) * to.columns + tx] += v * w[i * n.kernel[1] + j];
                        }
                    }
                }
        }
}

template <class F>
void eachSample(const NetSize& s, F f) { // f(channel, index)
    const Loop plane = Loop(s.rows) * s.columns;
    for (int c = 0; c < s.channels; ++c)
        for (Loop i = 0; i < plane; ++i) f(c, c * plane + i);
}

void arithmetic(const NetNode& n, std::span<const float* const> in, std::span<const NetSize> sizes, float* out,
                const NetSize& s) {
    const auto apply = [&](float a, float b) {
        return n.op == NetOp::Add ? a + b : n.op == NetOp::Sub ? a - b : a * b;
    };
    if (in.size() == 2) {
        const auto at = [&](std::size_t k, int c, Loop i) { return in[k][sizes[k] == s ? i : Loop(c)]; };
        return eachSample(s, [&](int c, Loop i) { out[i] = apply(at(0, c, i), at(1, c, i)); });
    }
    const bool constantFirst = n.in[0] < 0;
    eachSample(s, [&](int c, Loop i) {
        const float k = n.weights[n.weights.size() == 1 ? 0 : static_cast<std::size_t>(c)];
        out[i] = constantFirst ? apply(k, in[0][i]) : apply(in[0][i], k);
    });
}

void shuffle(const NetNode& n, const float* in, const NetSize& from, float* out, const NetSize& to) {
    const int b = n.block;
    const bool up = n.op == NetOp::DepthToSpace;
    const NetSize &small = up ? from : to, &big = up ? to : from;
    for (int c = 0; c < big.channels; ++c)
        for (int i = 0; i < b; ++i)
            for (int j = 0; j < b; ++j) {
                const int part = up && n.columnsFirst ? (c * b + i) * b + j : (i * b + j) * big.channels + c;
                for (int y = 0; y < small.rows; ++y)
                    for (int x = 0; x < small.columns; ++x) {
                        const Loop deep = (Loop(part) * small.rows + y) * small.columns + x;
                        const Loop wide = (Loop(c) * big.rows + y * b + i) * big.columns + x * b + j;
                        if (up)
                            out[wide] = in[deep];
                        else
                            out[deep] = in[wide];
                    }
            }
}

// The source samples and weights that one result sample along an axis is made of.
struct Taps {
    int at[4];
    float weight[4];
    int count;
};

Taps tapsFor(const NetNode& n, int k, int from, int to, float factor) {
    double x = k;
    switch (n.place) {
    case NetNode::Place::HalfPixel: x = (k + 0.5) / factor - 0.5; break;
    case NetNode::Place::Asymmetric: x = k / double(factor); break;
    case NetNode::Place::AlignCorners: x = to > 1 ? double(k) * (from - 1) / (to - 1) : 0; break;
    }
    const auto inside = [&](int i) { return std::clamp(i, 0, from - 1); };
    if (n.resize == ResizeKind::Nearest)
        return {{inside(static_cast<int>(n.nearestFloor ? std::floor(x) : std::ceil(x - 0.5)))}, {1}, 1};
    const int i = static_cast<int>(std::floor(x));
    const float t = static_cast<float>(x - i), a = n.cubicA;
    if (n.resize == ResizeKind::Linear) return {{inside(i), inside(i + 1)}, {1 - t, t}, 2};
    const auto near = [a](float d) { return ((a + 2) * d - (a + 3)) * d * d + 1; };
    const auto far = [a](float d) { return ((a * d - 5 * a) * d + 8 * a) * d - 4 * a; };
    return {
        {inside(i - 1), inside(i), inside(i + 1), inside(i + 2)}, {far(1 + t), near(t), near(1 - t), far(2 - t)}, 4};
}

void resize(const NetNode& n, const float* in, const NetSize& from, float* out, const NetSize& to) {
    std::vector<Taps> rows, columns;
    for (int y = 0; y < to.rows; ++y) rows.push_back(tapsFor(n, y, from.rows, to.rows, n.factor[0]));
    for (int x = 0; x < to.columns; ++x) columns.push_back(tapsFor(n, x, from.columns, to.columns, n.factor[1]));
    std::vector<float> line(std::size_t(from.columns)); // between the two passes
    for (int c = 0; c < to.channels; ++c) {
        const float* plane = in + Loop(c) * from.rows * from.columns;
        for (const Taps& v : rows) {
            std::ranges::fill(line, 0.f);
            for (int i = 0; i < v.count; ++i) {
                const float* row = plane + Loop(v.at[i]) * from.columns;
                for (int x = 0; x < from.columns; ++x) line[std::size_t(x)] += v.weight[i] * row[x];
            }
            for (const Taps& h : columns) {
                float sum = 0;
                for (int j = 0; j < h.count; ++j) sum += h.weight[j] * line[std::size_t(h.at[j])];
                *out++ = sum;
            }
        }
    }
}

void pad(const NetNode& n, const float* in, const NetSize& from, float* out, const NetSize& to) {
    const auto source = [&](int k, int size) {
        if (k >= 0 && k < size) return k;
        if (n.pad == PadKind::Zero) return -1;
        if (n.pad == PadKind::Edge) return std::clamp(k, 0, size - 1);
        return k < 0 ? -k : 2 * size - 2 - k;
    };
    for (int c = 0; c < to.channels; ++c)
        for (int y = 0; y < to.rows; ++y)
            for (int x = 0; x < to.columns; ++x) {
                const int sy = source(y - n.pads[0], from.rows), sx = source(x - n.pads[1], from.columns);
                *out++ = sy < 0 || sx < 0 ? 0 : in[(Loop(c) * from.rows + sy) * from.columns + sx];
            }
}

} // namespace

void runPlain(const NetNode& n, std::span<const float* const> in, std::span<const NetSize> sizes, float* out,
              const NetSize& s) {
    const float* a = in[0];
    switch (n.op) {
    case NetOp::Conv: return convolve(n, a, sizes[0], out, s);
    case NetOp::ConvTranspose: return convolveTransposed(n, a, sizes[0], out, s);
    case NetOp::Prelu:
        return eachSample(s, [&](int c, Loop i) {
            out[i] = a[i] >= 0 ? a[i] : a[i] * n.weights[n.weights.size() == 1 ? 0 : static_cast<std::size_t>(c)];
        });
    case NetOp::LeakyRelu: return eachSample(s, [&](int, Loop i) { out[i] = a[i] >= 0 ? a[i] : n.alpha * a[i]; });
    case NetOp::Clip: return eachSample(s, [&](int, Loop i) { out[i] = std::min(std::max(a[i], n.low), n.high); });
    case NetOp::Sigmoid: return eachSample(s, [&](int, Loop i) { out[i] = 1 / (1 + std::exp(-a[i])); });
    case NetOp::Tanh: return eachSample(s, [&](int, Loop i) { out[i] = std::tanh(a[i]); });
    case NetOp::Add:
    case NetOp::Sub:
    case NetOp::Mul: return arithmetic(n, in, sizes, out, s);
    case NetOp::Concat:
        for (std::size_t k = 0; k < in.size(); ++k) out = std::copy_n(in[k], sizes[k].count(), out);
        return;
    case NetOp::Channels: std::copy_n(a + Loop(n.first) * s.rows * s.columns, s.count(), out); return;
    case NetOp::DepthToSpace:
    case NetOp::SpaceToDepth: return shuffle(n, a, sizes[0], out, s);
    case NetOp::Resize: return resize(n, a, sizes[0], out, s);
    case NetOp::Average: {
        const Loop each = Loop(sizes[0].rows) * sizes[0].columns;
        return eachSample(s, [&](int c, Loop i) {
            double sum = 0;
            for (Loop k = 0; k < each; ++k) sum += a[c * each + k];
            out[i] = static_cast<float>(sum / double(each));
        });
    }
    case NetOp::Pad: return pad(n, a, sizes[0], out, s);
    }
}

void shuffledSum(const float* a, const float* b, const NetSize& size, int block, float* out) {
    const Loop deep = size.channels, wide = Loop(size.columns) * block;
    const auto rows = [&](auto side) { // a constant where it is a usual one: so it becomes one load and one store
        for (int y = 0; y < size.rows; ++y)
            for (int i = 0; i < block; ++i, out += wide) {
                const Loop first = Loop(y) * size.columns * deep + Loop(i) * block;
                const float *p = a + first, *q = b + first;
                float* to = out;
                for (int x = 0; x < size.columns; ++x, p += deep, q += deep, to += side)
                    for (int j = 0; j < side; ++j) to[j] = p[j] + q[j];
            }
    };
    if (block == 2) return rows(std::integral_constant<int, 2>());
    if (block == 4) return rows(std::integral_constant<int, 4>());
    rows(block);
}

std::vector<float> runPlain(const NetGraph& g, std::span<const float> in, int rows, int columns,
                            const std::string& file) {
    const std::vector<NetSize> sizes = sizesFor(g, rows, columns, file);
    std::vector<std::vector<float>> values(sizes.size());
    values[0].assign(in.begin(), in.end());
    for (const NetNode& n : g.nodes) {
        std::vector<const float*> from;
        std::vector<NetSize> fromSizes;
        for (int v : n.in)
            if (v >= 0) {
                from.push_back(values[static_cast<std::size_t>(v)].data());
                fromSizes.push_back(sizes[static_cast<std::size_t>(v)]);
            }
        const NetSize& s = sizes[static_cast<std::size_t>(n.out)];
        values[static_cast<std::size_t>(n.out)].resize(static_cast<std::size_t>(s.count()));
        runPlain(n, from, fromSizes, values[static_cast<std::size_t>(n.out)].data(), s);
    }
    return values[static_cast<std::size_t>(g.result)];
}

} // namespace ulm
