#include "core/model/network.h"

#include "core/base/error.h"
#include "core/model/arithmetic.h"
#include "core/model/onnx_file.h"
#include "core/model/opencl_runner.h"
#include "core/model/opencv_runner.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fstream>
#include <numeric>
#include <xxhash.h>

namespace ulm {
namespace {

// How far a value looks, and how fine it is: pixels of the network's input.
struct Reach {
    double radius = 0, perPixel = 1; ///< pixels of the value per input pixel
    int align = 1;
};

Error unfit(const std::string& file, const std::string& why) {
    return Error(Fault::Input, file, "the network cannot be used on parts of a picture: " + why,
                 "Use a network that enlarges by a whole number and treats all places alike.");
}

std::vector<Reach> reaches(const NetGraph& g, const std::string& file) {
    std::vector<Reach> r(static_cast<std::size_t>(g.values));
    for (const NetNode& n : g.nodes) {
        Reach in;
        in.perPixel = 0;
        for (int v : n.in) {
            if (v < 0) continue;
            const Reach& a = r[static_cast<std::size_t>(v)];
            in.radius = std::max(in.radius, a.radius);
            in.align = std::lcm(in.align, a.align);
            in.perPixel = a.perPixel;
        }
        double taps = 0, step = 1;
        const double reach = std::max((n.kernel[0] - 1) * n.dilation[0], (n.kernel[1] - 1) * n.dilation[1]);
        switch (n.op) {
        case NetOp::Conv:
            taps = std::max(reach / 2, reach - std::min(n.pads[0], n.pads[1]));
            step = 1.0 / n.stride[0];
            if (n.stride[0] != n.stride[1]) throw unfit(file, "\"" + n.name + "\" treats rows and columns unlike");
            break;
        case NetOp::ConvTranspose:
            taps = std::ceil(reach / n.stride[0]) + 1;
            step = n.stride[0];
            if (n.stride[0] != n.stride[1]) throw unfit(file, "\"" + n.name + "\" treats rows and columns unlike");
            break;
        case NetOp::DepthToSpace: step = n.block; break;
        case NetOp::SpaceToDepth:
            taps = n.block;
            step = 1.0 / n.block;
            break;
        case NetOp::Resize:
            taps = (n.resize == ResizeKind::Cubic ? 3 : 2) * std::max(1.0, 1.0 / n.factor[0]);
            step = n.factor[0];
            if (n.factor[0] != n.factor[1]) throw unfit(file, "\"" + n.name + "\" treats rows and columns unlike");
            if (n.place == NetNode::Place::AlignCorners) throw unfit(file, "\"" + n.name + "\" aligns corners");
            break;
        case NetOp::Average: throw UnsupportedNet("\"" + n.name + "\" looks at the whole picture at once");
        case NetOp::Pad: taps = *std::ranges::max_element(n.pads); break;
        default: break;
        }
        Reach out = in;
        out.radius = in.radius + taps / in.perPixel;
        out.perPixel = in.perPixel * step;
        if (out.perPixel < 1) out.align = std::lcm(in.align, static_cast<int>(std::lround(1 / out.perPixel)));
        if (out.align > 64 || out.radius > 512)
            throw unfit(file, "it looks " + std::to_string(std::lround(out.radius)) + " pixels far");
        r[static_cast<std::size_t>(n.out)] = out;
    }
    return r;
}

class FastNetwork : public Network {
public:
    FastNetwork(NetGraph graph, std::span<const std::byte> bytes, const std::string& file, Arithmetic arithmetic) {
        notes_ = graph.notes;
        const Reach r = reaches(graph, file)[static_cast<std::size_t>(graph.result)];
        margin_ = static_cast<int>(std::ceil(r.radius));
        align_ = r.align;
        const int side = (2 * margin_ + 32 + align_ - 1) / align_ * align_;
        const NetSize s = sizesFor(graph, side, side + 2 * align_, file)[static_cast<std::size_t>(graph.result)];
        inputs_ = graph.inputChannels;
        outputs_ = s.channels;
        scale_ = r.perPixel;
        const double up = scale_ >= 1 ? scale_ : 1 / scale_;
        if (up > 16 || up != std::round(up)) throw unfit(file, "it changes sizes by " + std::to_string(scale_));
        if (s.rows > side * scale_ || s.columns > (side + 2 * align_) * scale_)
            throw unfit(file, "its result has more pixels than its scale says");
        // Networks without padding return a smaller picture: its middle is what the input's middle became.
        cropRows_ = static_cast<int>(std::lround(side * scale_)) - s.rows;
        cropColumns_ = static_cast<int>(std::lround((side + 2 * align_) * scale_)) - s.columns;
        if (cropRows_ % 2 || cropColumns_ % 2) throw unfit(file, "its result lies between pixels");
        describe(file, bytes);
        if (arithmetic.onGraphics && OpenclRunner::knows(graph)) graphics_ = std::make_unique<OpenclRunner>(graph);
        runner_ = std::make_unique<DnnRunner>(std::move(graph), file, arithmetic.precision);
        precision_ = runner_->precision();
        hash_ ^= 0x9e3779b97f4a7c15u * (static_cast<std::uint64_t>(precision_) + (graphics_ ? 8u : 0u));
    }
    bool isFast() const override { return true; }
    bool isOnGraphics() const override { return graphics_ && !graphicsHasFailed(); }
    void run(const float* in, int rows, int columns, float* out) const override {
        if (cropRows_ == 0 && cropColumns_ == 0) return compute(in, rows, columns, out);
        const int h = static_cast<int>(std::lround(rows * scale_)), w = static_cast<int>(std::lround(columns * scale_));
        const int sh = h - cropRows_, sw = w - cropColumns_;
        std::vector<float> small(static_cast<std::size_t>(outputs_) * sh * sw);
        compute(in, rows, columns, small.data());
        std::fill_n(out, static_cast<std::ptrdiff_t>(outputs_) * h * w, 0.f);
        for (int c = 0; c < outputs_; ++c)
            for (int y = 0; y < sh; ++y)
                std::copy_n(small.data() + (static_cast<std::ptrdiff_t>(c) * sh + y) * sw, sw,
                            out + (static_cast<std::ptrdiff_t>(c) * h + y + cropRows_ / 2) * w + cropColumns_ / 2);
    }
    void runInterleaved(const float* in, int rows, int columns, float* out) const override {
        if (isOnGraphics() || cropRows_ != 0 || cropColumns_ != 0)
            return Network::runInterleaved(in, rows, columns, out);
        runner_->run(in, rows, columns, out, DnnRunner::Layout::Interleaved);
    }

private:
    void compute(const float* in, int rows, int columns, float* out) const {
        // What is too large to be run is refused by the runner below.
        const bool tried = isOnGraphics() && runner_->bytesFor(rows, columns) <= DnnRunner::kMostRunBytes;
        if (tried && graphics_->run(in, rows, columns, out)) return;
        runner_->run(in, rows, columns, out);
        if (!tried) return;
        // A network whose numbers overflow does so anywhere: that is not the graphics processor's failure.
        const NetGraph& g = runner_->graph();
        const auto count = sizesFor(g, rows, columns, file_)[static_cast<std::size_t>(g.result)].count();
        if (std::all_of(out, out + count, [](float v) { return std::isfinite(v); })) graphicsFailed();
    }

    std::unique_ptr<OpenclRunner> graphics_; ///< where it runs there
    std::unique_ptr<DnnRunner> runner_;
    int cropRows_ = 0, cropColumns_ = 0;
};

// Runs on OpenCV what ours cannot. It tells nothing of how far a network looks: a generous margin stands in.
class SlowNetwork : public Network {
public:
    SlowNetwork(std::span<const std::byte> bytes, const std::string& file, const std::string& unsupported)
        : runner_(bytes, file, unsupported) {
        inputs_ = runner_.inputChannels();
        const int side = 64;
        const NetSize s = runner_.sizeFor(side, side);
        outputs_ = s.channels;
        scale_ = double(s.rows) / side;
        if (s.rows != s.columns || (scale_ != std::round(scale_) && 1 / scale_ != std::round(1 / scale_)))
            throw unfit(file, "it makes " + std::to_string(s.columns) + "×" + std::to_string(s.rows) + " of 64×64");
        margin_ = 32;
        align_ = 8;
        describe(file, bytes);
    }
    bool isFast() const override { return false; }
    void run(const float* in, int rows, int columns, float* out) const override { runner_.run(in, rows, columns, out); }

private:
    OpencvRunner runner_;
};

} // namespace

void Network::runInterleaved(const float* in, int rows, int columns, float* out) const {
    const auto from = std::size_t(rows) * std::size_t(columns), inputs = std::size_t(inputs_),
               outputs = std::size_t(outputs_);
    const auto to = std::size_t(std::lround(rows * scale_)) * std::size_t(std::lround(columns * scale_));
    std::vector<float> planes(inputs * from), made(outputs * to);
    for (std::size_t k = 0; k < from; ++k)
        for (std::size_t c = 0; c < inputs; ++c) planes[c * from + k] = in[k * inputs + c];
    run(planes.data(), rows, columns, made.data());
    for (std::size_t k = 0; k < to; ++k)
        for (std::size_t c = 0; c < outputs; ++c) out[k * outputs + c] = made[c * to + k];
}

void Network::describe(const std::string& file, std::span<const std::byte> bytes) {
    file_ = file;
    hash_ = XXH3_64bits(bytes.data(), bytes.size());
    const auto number = [&](const char* key, int otherwise, int most) {
        const std::string text = note(key);
        if (text.empty()) return otherwise;
        const int v = std::atoi(text.c_str());
        if (v < 0 || v > most) throw unfit(file, std::string("its note ") + key + " says " + text);
        return v;
    };
    frames_ = std::max(1, number("ulmwood.frames", 1, 9));
    levels_ = number("ulmwood.levels", 0, 4);
    if (frames_ % 2 == 0 || ((frames_ > 1 || levels_ > 0) && inputs_ != frames_ + levels_))
        throw unfit(file, "its notes ask for other inputs than it has");
}

std::string Network::note(const std::string& key) const {
    for (const auto& [name, text] : notes_)
        if (name == key) return text;
    return {};
}

std::shared_ptr<const Network> Network::fromBytes(std::span<const std::byte> bytes, const std::string& file,
                                                  Arithmetic arithmetic) {
    try {
        return std::make_shared<FastNetwork>(readOnnx(bytes, file), bytes, file, arithmetic);
    } catch (const UnsupportedNet& e) {
        return std::make_shared<SlowNetwork>(bytes, file, e.what());
    }
}

std::shared_ptr<const Network> Network::between(std::span<const std::byte> first, std::span<const std::byte> second,
                                                double share, const std::string& file, Arithmetic arithmetic) {
    NetGraph g = readOnnx(first, file);
    const NetGraph other = readOnnx(second, file);
    const auto sameShape = [](const NetNode& a, const NetNode& b) {
        return a.op == b.op && a.in == b.in && a.kernel == b.kernel && a.weights.size() == b.weights.size() &&
               a.bias.size() == b.bias.size();
    };
    if (!std::ranges::equal(g.nodes, other.nodes, sameShape))
        throw Error(Fault::Input, file, "the two networks to go between are not of one shape",
                    "Use networks of one make.");
    const auto s = static_cast<float>(share);
    const auto blend = [s](std::vector<float>& to, const std::vector<float>& from) {
        for (std::size_t i = 0; i < to.size(); ++i) to[i] += s * (from[i] - to[i]);
    };
    for (std::size_t k = 0; k < g.nodes.size(); ++k) {
        blend(g.nodes[k].weights, other.nodes[k].weights);
        blend(g.nodes[k].bias, other.nodes[k].bias);
    }
    // Its identity: both files' and the share.
    std::vector<std::byte> identity(first.begin(), first.end());
    identity.insert(identity.end(), second.begin(), second.end());
    const auto tail = std::as_bytes(std::span(&share, 1));
    identity.insert(identity.end(), tail.begin(), tail.end());
    for (auto& [key, text] : g.notes)
        if (key == "ulmwood.activations") text = widerActivations(text, other.note(key));
    return std::make_shared<FastNetwork>(std::move(g), identity, file, arithmetic);
}

std::shared_ptr<const Network> Network::open(const std::filesystem::path& path, Arithmetic arithmetic) {
    const std::string file = path.string();
    std::error_code ec;
    const auto bytes = std::filesystem::file_size(path, ec);
    if (ec || !std::filesystem::is_regular_file(path))
        throw Error(Fault::Input, file, "there is no such network file",
                    "Check its name, or choose a network that ships.");
    if (bytes > static_cast<std::uintmax_t>(kMostNetBytes))
        throw Error(Fault::Input, file, "the network is larger than 256 MB", "Use a smaller network.");
    std::ifstream in(path, std::ios::binary);
    std::vector<std::byte> data(bytes);
    if (!in.read(reinterpret_cast<char*>(data.data()), static_cast<std::streamsize>(bytes)) && bytes > 0)
        throw Error(Fault::Input, file, "the network cannot be read", "Check that you may read the file.");
    return fromBytes(data, file, arithmetic);
}

} // namespace ulm
