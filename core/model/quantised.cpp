#include "core/model/quantised.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <sstream>

namespace ulm {
namespace {

constexpr double kEvened =
    0.7;                       // of a channel's reach that is evened out: fully, quiet channels would be drawn too wide
constexpr float kUsed = 0.85f; // of the whole reach that codes cover: the last of it is rare, and finer steps gain more
constexpr std::size_t kMostLayers = 256, kMostChannels = 4096;

struct Reach {
    float low = 0, high = 0;
};
using Layer = std::vector<Reach>;

std::vector<Layer> parsed(const std::string& text) {
    std::vector<Layer> layers;
    std::istringstream all(text);
    for (std::string one; std::getline(all, one, ';') && layers.size() < kMostLayers;) {
        Layer layer;
        std::istringstream channels(one);
        for (std::string pair; channels >> pair && layer.size() < kMostChannels;) {
            const std::size_t comma = pair.find(',');
            if (comma == std::string::npos) return {};
            const Reach r{std::strtof(pair.c_str(), nullptr), std::strtof(pair.c_str() + comma + 1, nullptr)};
            if (!std::isfinite(r.low) || !std::isfinite(r.high) || r.low > 0 || r.high < 0) return {};
            layer.push_back(r);
        }
        layers.push_back(std::move(layer));
    }
    return layers;
}

// The convolution that alone reads a value; none where others do too, or where it is the result.
NetNode* onlyReader(NetGraph& g, int value) {
    NetNode* reader = nullptr;
    for (NetNode& n : g.nodes)
        for (const int v : n.in)
            if (v == value) {
                if (reader || n.op != NetOp::Conv) return nullptr;
                reader = &n;
            }
    return value == g.result ? nullptr : reader;
}

} // namespace

std::string widerActivations(const std::string& first, const std::string& second) {
    const auto a = parsed(first), b = parsed(second);
    if (a.size() != b.size()) return {};
    std::ostringstream out;
    for (std::size_t k = 0; k < a.size(); ++k) {
        if (a[k].size() != b[k].size()) return {};
        out << (k ? ";" : "");
        for (std::size_t c = 0; c < a[k].size(); ++c)
            out << (c ? " " : "") << std::min(a[k][c].low, b[k][c].low) << "," << std::max(a[k][c].high, b[k][c].high);
    }
    return out.str();
}

std::optional<QuantisedGraph> quantised(const NetGraph& graph) {
    const std::vector<Layer> layers = parsed(graph.note("ulmwood.activations"));
    if (layers.empty()) return std::nullopt;
    QuantisedGraph q{graph, std::vector<std::optional<QuantisedValue>>(std::size_t(graph.values))};
    std::size_t told = 0;
    for (std::size_t k = 0; k + 1 < q.graph.nodes.size(); ++k) {
        NetNode& conv = q.graph.nodes[k];
        const NetNode& act = q.graph.nodes[k + 1];
        if (conv.op != NetOp::Conv || act.op != NetOp::LeakyRelu || act.in[0] != conv.out) continue;
        NetNode* next = onlyReader(q.graph, act.out);
        if (told == layers.size() || !next || conv.groups != 1 || next->groups != 1 ||
            layers[told].size() != std::size_t(conv.channels) || conv.bias.size() != std::size_t(conv.channels))
            return std::nullopt;
        const Layer& layer = layers[told++];
        const std::size_t channels = layer.size(), each = conv.weights.size() / channels,
                          taps = std::size_t(next->kernel[0]) * next->kernel[1];
        float low = 0, high = 0;
        for (std::size_t c = 0; c < channels; ++c) {
            const double reach = std::max({double(layer[c].high), double(-layer[c].low), 1e-3});
            const auto s = static_cast<float>(std::pow(reach, kEvened));
            for (std::size_t i = 0; i < each; ++i) conv.weights[c * each + i] /= s;
            conv.bias[c] /= s;
            for (std::size_t o = 0; o < std::size_t(next->channels); ++o)
                for (std::size_t i = 0; i < taps; ++i) next->weights[(o * channels + c) * taps + i] *= s;
            low = std::min(low, layer[c].low / s);
            high = std::max(high, layer[c].high / s);
        }
        low *= kUsed, high *= kUsed;
        QuantisedValue v;
        v.scale = std::max(high - low, 1e-6f) / 255;
        v.zero = std::clamp(static_cast<int>(std::lround(-low / v.scale)), 0, 255);
        q.values[std::size_t(act.out)] = v;
    }
    if (told != layers.size()) return std::nullopt;
    return q;
}

} // namespace ulm
