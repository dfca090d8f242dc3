#include "core/model/onnx_file.h"

#include "core/base/error.h"

#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <opencv2/core.hpp>
#include <optional>
#include <set>

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wpedantic"
#pragma GCC diagnostic ignored "-Wunused-parameter"
#include <google/protobuf/io/coded_stream.h>
#include <onnx/onnx_pb.h>
#pragma GCC diagnostic pop

namespace ulm {
namespace {
using onnx::NodeProto;
using onnx::TensorProto;

constexpr int kMostNodes = 20'000, kMostChannels = 8192, kMostKernel = 127, kMostFactor = 16, kMostInputs = 128;
constexpr std::int64_t kMostNumbers = 64'000'000; // in one tensor

// A constant of the file: numbers and their shape.
struct Constant {
    std::vector<std::int64_t> shape;
    std::vector<float> f;
    std::vector<std::int64_t> i;

    std::int64_t count() const {
        std::int64_t n = 1;
        for (auto d : shape) n *= d;
        return n;
    }
    std::vector<std::int64_t> whole() const {
        if (!i.empty() || f.empty()) return i;
        std::vector<std::int64_t> v;
        for (float x : f) v.push_back(static_cast<std::int64_t>(std::clamp(x, -1e9f, 1e9f)));
        return v;
    }
};

class Reader {
public:
    Reader(const onnx::ModelProto& model, const std::string& file) : model_(model), file_(file) {}

    NetGraph read() {
        const onnx::GraphProto& g = model_.graph();
        for (const auto& o : model_.opset_import())
            if (o.domain().empty() || o.domain() == "ai.onnx") opset_ = static_cast<int>(o.version());
        if (g.node_size() > kMostNodes) fail("it has more than " + std::to_string(kMostNodes) + " steps");
        for (const auto& note : model_.metadata_props()) graph_.notes.emplace_back(note.key(), note.value());
        for (const TensorProto& t : g.initializer()) constants_[t.name()] = constantOf(t, t.name());
        readInput(g);
        for (const NodeProto& n : g.node()) readNode(n);
        if (g.output_size() != 1) fail("it has " + std::to_string(g.output_size()) + " results; one is needed");
        const auto out = values_.find(g.output(0).name());
        if (out == values_.end()) fail("nothing makes its result \"" + g.output(0).name() + "\"");
        graph_.result = out->second.id;
        graph_.values = next_;
        return std::move(graph_);
    }

private:
    struct Value {
        int id, channels;
    };

    [[noreturn]] void fail(const std::string& reason) const {
        throw Error(Fault::Input, file_, "the network cannot be used: " + reason,
                    "Export it again as ONNX with one picture in and one out, or choose another network.");
    }
    static std::string called(const NodeProto& n) {
        return n.op_type() + (n.name().empty() ? "" : " \"" + n.name() + "\"");
    }
    [[noreturn]] static void unsupported(const NodeProto& n, const std::string& what) {
        throw UnsupportedNet(what + " in " + called(n));
    }

    void readInput(const onnx::GraphProto& g) {
        const onnx::ValueInfoProto* input = nullptr;
        for (const auto& i : g.input()) {
            if (constants_.contains(i.name())) continue;
            if (input) fail("it asks for more than one input");
            input = &i;
        }
        if (!input) fail("it has no input");
        const auto& shape = input->type().tensor_type().shape();
        if (shape.dim_size() != 4) fail("its input is not a picture (batch, channels, rows, columns)");
        if (shape.dim(0).has_dim_value() && shape.dim(0).dim_value() > 1) fail("its input is a batch of pictures");
        const std::int64_t c = shape.dim(1).dim_value();
        if (!shape.dim(1).has_dim_value() || c < 1 || c > kMostInputs)
            fail("its input does not say how many channels it has, 1 to " + std::to_string(kMostInputs));
        graph_.inputChannels = static_cast<int>(c);
        values_[input->name()] = {0, graph_.inputChannels};
    }

    Constant constantOf(const TensorProto& t, const std::string& name) const {
        Constant c;
        std::int64_t count = 1;
        for (auto d : t.dims()) {
            if (d < 0 || d > kMostNumbers || (count *= std::max<std::int64_t>(d, 1)) > kMostNumbers)
                fail("its numbers \"" + name + "\" have an absurd shape");
            c.shape.push_back(d);
        }
        count = c.count();
        if (t.data_location() == TensorProto::EXTERNAL) fail("its numbers \"" + name + "\" lie in another file");
        const std::string& raw = t.raw_data();
        const auto need = [&](std::size_t have, std::size_t each) {
            if (have != static_cast<std::size_t>(count) * each) fail("its numbers \"" + name + "\" are cut short");
        };
        if (t.data_type() == TensorProto::FLOAT) {
            if (!raw.empty()) {
                need(raw.size(), 4);
                c.f.resize(static_cast<std::size_t>(count));
                std::memcpy(c.f.data(), raw.data(), raw.size());
            } else {
                need(static_cast<std::size_t>(t.float_data_size()), 1);
                c.f.assign(t.float_data().begin(), t.float_data().end());
            }
        } else if (t.data_type() == TensorProto::FLOAT16) {
            std::vector<std::uint16_t> halves;
            if (!raw.empty()) {
                need(raw.size(), 2);
                halves.resize(static_cast<std::size_t>(count));
                std::memcpy(halves.data(), raw.data(), raw.size());
            } else {
                need(static_cast<std::size_t>(t.int32_data_size()), 1);
                for (const int v : t.int32_data()) halves.push_back(static_cast<std::uint16_t>(v));
            }
            for (const std::uint16_t h : halves) c.f.push_back(cv::float16_t::fromBits(h));
        } else if (t.data_type() == TensorProto::INT64) {
            if (!raw.empty()) {
                need(raw.size(), 8);
                c.i.resize(static_cast<std::size_t>(count));
                std::memcpy(c.i.data(), raw.data(), raw.size());
            } else {
                need(static_cast<std::size_t>(t.int64_data_size()), 1);
                c.i.assign(t.int64_data().begin(), t.int64_data().end());
            }
        } else {
            throw UnsupportedNet("numbers of type " + std::to_string(t.data_type()) + " in \"" + name + "\"");
        }
        for (float v : c.f)
            if (std::isnan(v)) fail("its numbers \"" + name + "\" hold some that are no numbers (NaN)");
        return c;
    }

    // ---- attributes and inputs of a node

    static const onnx::AttributeProto* attribute(const NodeProto& n, const char* name) {
        for (const auto& a : n.attribute())
            if (a.name() == name) return &a;
        return nullptr;
    }
    static std::int64_t number(const NodeProto& n, const char* name, std::int64_t otherwise) {
        const auto* a = attribute(n, name);
        return a ? a->i() : otherwise;
    }
    static float real(const NodeProto& n, const char* name, float otherwise) {
        const auto* a = attribute(n, name);
        return a ? a->f() : otherwise;
    }
    static std::string text(const NodeProto& n, const char* name, const char* otherwise) {
        const auto* a = attribute(n, name);
        return a ? a->s() : otherwise;
    }
    static std::vector<std::int64_t> list(const NodeProto& n, const char* name) {
        const auto* a = attribute(n, name);
        return a ? std::vector<std::int64_t>(a->ints().begin(), a->ints().end()) : std::vector<std::int64_t>{};
    }
    template <std::size_t N>
    std::array<int, N> few(const NodeProto& n, const char* name, int otherwise, int least, int most) const {
        std::array<int, N> r;
        r.fill(otherwise);
        const auto v = list(n, name);
        if (v.empty()) return r;
        if (v.size() != N) unsupported(n, std::string(name) + " of " + std::to_string(v.size()) + " numbers");
        for (std::size_t i = 0; i < N; ++i) {
            if (v[i] < least || v[i] > most) fail(std::string("absurd ") + name + " in " + called(n));
            r[i] = static_cast<int>(v[i]);
        }
        return r;
    }

    bool has(const NodeProto& n, int k) const { return k < n.input_size() && !n.input(k).empty(); }
    const Constant* constant(const NodeProto& n, int k) const {
        if (!has(n, k)) return nullptr;
        const auto it = constants_.find(n.input(k));
        return it == constants_.end() ? nullptr : &it->second;
    }
    Value picture(const NodeProto& n, int k) const {
        if (!has(n, k)) fail(called(n) + " lacks an input");
        const auto it = values_.find(n.input(k));
        if (it != values_.end()) return it->second;
        if (constants_.contains(n.input(k))) unsupported(n, "a constant where a picture is expected");
        fail(called(n) + " reads \"" + n.input(k) + "\", which nothing before it makes (a cycle, or a lost step)");
    }

    NetNode begin(NetOp op, const NodeProto& n, std::vector<int> in, int channels) const {
        if (channels < 1 || channels > kMostChannels) fail("absurd number of channels in " + called(n));
        NetNode r{};
        r.op = op;
        r.name = n.name().empty() ? n.op_type() : n.name();
        r.in = std::move(in);
        r.channels = channels;
        return r;
    }
    void emit(NetNode node, const std::string& name) {
        node.out = next_++;
        if (name.empty() || values_.contains(name) || constants_.contains(name))
            fail("two steps make \"" + name + "\"");
        values_[name] = {node.out, node.channels};
        graph_.nodes.push_back(std::move(node));
    }

    // ---- operators

    void readNode(const NodeProto& n) {
        const std::string& op = n.op_type();
        if (!n.domain().empty() && n.domain() != "ai.onnx") unsupported(n, "an operator of " + n.domain());
        if (n.output_size() < 1) fail(called(n) + " makes nothing");
        if (op == "Constant") return readConstant(n);
        if (op == "Conv" || op == "ConvTranspose") return readConv(n, op == "ConvTranspose");
        if (op == "Relu") return readClip(n, 0, std::numeric_limits<float>::infinity());
        if (op == "Clip") return readClip(n, bound(n, 1, "min", -1), bound(n, 2, "max", 1));
        if (op == "LeakyRelu") {
            NetNode r = simple(NetOp::LeakyRelu, n);
            r.alpha = real(n, "alpha", 0.01f);
            return emit(std::move(r), n.output(0));
        }
        if (op == "Sigmoid") return emit(simple(NetOp::Sigmoid, n), n.output(0));
        if (op == "Tanh") return emit(simple(NetOp::Tanh, n), n.output(0));
        if (op == "GlobalAveragePool") return emit(simple(NetOp::Average, n), n.output(0));
        if (op == "PRelu") return readPrelu(n);
        if (op == "Add" || op == "Sub" || op == "Mul") return readArithmetic(n);
        if (op == "Concat") return readConcat(n);
        if (op == "Slice") return readSlice(n);
        if (op == "Split") return readSplit(n);
        if (op == "DepthToSpace" || op == "SpaceToDepth") return readShuffle(n);
        if (op == "Resize" || op == "Upsample") return readResize(n);
        if (op == "Pad") return readPad(n);
        const std::int64_t to = op == "Cast" ? number(n, "to", 0) : 0; // floats are floats here
        if (op == "Identity" || op == "Dropout" || to == TensorProto::FLOAT || to == TensorProto::FLOAT16) {
            if (const Constant* c = constant(n, 0))
                constants_[n.output(0)] = Constant(*c);
            else
                values_[n.output(0)] = picture(n, 0);
            return;
        }
        unsupported(n, "the operator is not known");
    }

    NetNode simple(NetOp op, const NodeProto& n) const {
        const Value v = picture(n, 0);
        return begin(op, n, {v.id}, v.channels);
    }

    void readConstant(const NodeProto& n) {
        const auto* a = attribute(n, "value");
        Constant c;
        if (a) {
            c = constantOf(a->t(), n.output(0));
        } else if (const auto* f = attribute(n, "value_float")) {
            c.f = {f->f()};
        } else if (const auto* i = attribute(n, "value_int")) {
            c.i = {i->i()};
        } else if (const auto* fs = attribute(n, "value_floats")) {
            c.f.assign(fs->floats().begin(), fs->floats().end());
            c.shape = {fs->floats_size()};
        } else if (const auto* is = attribute(n, "value_ints")) {
            c.i.assign(is->ints().begin(), is->ints().end());
            c.shape = {is->ints_size()};
        } else {
            unsupported(n, "a constant of another kind");
        }
        constants_[n.output(0)] = std::move(c);
    }

    void readConv(const NodeProto& n, bool transpose) {
        const Value v = picture(n, 0);
        const Constant* w = constant(n, 1);
        if (!w) unsupported(n, "weights that are no constant");
        if (w->shape.size() != 4 || w->f.empty()) unsupported(n, "weights that are not four-dimensional");
        const std::int64_t groups = number(n, "group", 1);
        for (auto d : w->shape)
            if (d < 1 || d > kMostChannels) fail("absurd weights in " + called(n));
        if (groups < 1 || groups > kMostChannels || v.channels % groups)
            fail("groups do not divide channels in " + called(n));
        const std::int64_t inputs = transpose ? w->shape[0] : w->shape[1] * groups;
        const std::int64_t outputs = transpose ? w->shape[1] * groups : w->shape[0];
        if (inputs != v.channels || outputs % groups || outputs > kMostChannels)
            fail("weights do not fit the channels in " + called(n));
        NetNode r = begin(transpose ? NetOp::ConvTranspose : NetOp::Conv, n, {v.id}, static_cast<int>(outputs));
        r.groups = static_cast<int>(groups);
        for (int a = 0; a < 2; ++a) {
            if (w->shape[a + 2] > kMostKernel) fail("absurd kernel in " + called(n));
            r.kernel[a] = static_cast<int>(w->shape[a + 2]);
        }
        r.stride = few<2>(n, "strides", 1, 1, kMostFactor);
        r.dilation = few<2>(n, "dilations", 1, 1, 64);
        r.outputPadding = few<2>(n, "output_padding", 0, 0, kMostFactor);
        r.pads = few<4>(n, "pads", 0, 0, 512);
        if (attribute(n, "output_shape")) unsupported(n, "output_shape");
        const std::string automatic = text(n, "auto_pad", "NOTSET");
        if (automatic.starts_with("SAME") && !transpose && r.stride == std::array{1, 1})
            for (int a = 0; a < 2; ++a) {
                const int all = (r.kernel[a] - 1) * r.dilation[a];
                r.pads[a] = automatic == "SAME_UPPER" ? all / 2 : all - all / 2;
                r.pads[a + 2] = all - r.pads[a];
            }
        else if (automatic != "NOTSET" && automatic != "VALID")
            unsupported(n, "auto_pad " + automatic);
        r.weights = w->f;
        if (has(n, 2)) {
            const Constant* b = constant(n, 2);
            if (!b || b->f.size() != static_cast<std::size_t>(outputs)) fail("bias does not fit in " + called(n));
            r.bias = b->f;
        }
        emit(std::move(r), n.output(0));
    }

    float bound(const NodeProto& n, int k, const char* name, int sign) const {
        if (opset_ < 11 || attribute(n, name)) return real(n, name, sign * std::numeric_limits<float>::infinity());
        if (!has(n, k)) return sign * std::numeric_limits<float>::infinity();
        const Constant* c = constant(n, k);
        if (!c || c->f.size() != 1) unsupported(n, "a bound that is no constant");
        return c->f[0];
    }
    void readClip(const NodeProto& n, float low, float high) {
        NetNode r = simple(NetOp::Clip, n);
        r.low = low;
        r.high = high;
        emit(std::move(r), n.output(0));
    }

    // One number, or one a channel: the only constants that steps on pictures take here.
    std::vector<float> perChannel(const NodeProto& n, const Constant& c, int channels) const {
        if (c.f.size() == 1) return c.f;
        std::vector<std::int64_t> shape = c.shape;
        while (shape.size() < 4) shape.insert(shape.begin(), 1);
        if (shape.size() != 4 || shape[0] != 1 || shape[1] != channels || shape[2] != 1 || shape[3] != 1)
            unsupported(n, "a constant that is neither one number nor one a channel");
        return c.f;
    }
    void readPrelu(const NodeProto& n) {
        NetNode r = simple(NetOp::Prelu, n);
        const Constant* slope = constant(n, 1);
        if (!slope || slope->f.empty()) unsupported(n, "slopes that are no constant");
        Constant c = *slope;
        while (c.shape.size() > 3) c.shape.erase(c.shape.begin()); // a leading batch axis of 1
        if (c.shape.size() == 1 && c.f.size() > 1) c.shape = {c.shape[0], 1, 1};
        r.weights = perChannel(n, c, r.channels);
        emit(std::move(r), n.output(0));
    }
    void readArithmetic(const NodeProto& n) {
        const NetOp op = n.op_type() == "Add" ? NetOp::Add : n.op_type() == "Sub" ? NetOp::Sub : NetOp::Mul;
        const Constant *a = constant(n, 0), *b = constant(n, 1);
        if (a && b) return foldArithmetic(n, op, *a, *b);
        if (!a && !b) {
            const Value x = picture(n, 0), y = picture(n, 1);
            if (x.channels != y.channels) unsupported(n, "pictures of different numbers of channels");
            return emit(begin(op, n, {x.id, y.id}, x.channels), n.output(0));
        }
        const Value v = picture(n, a ? 1 : 0);
        NetNode r = begin(op, n, a ? std::vector{-1, v.id} : std::vector{v.id, -1}, v.channels);
        if ((a ? a : b)->f.empty()) unsupported(n, "whole numbers beside a picture");
        r.weights = perChannel(n, a ? *a : *b, v.channels);
        emit(std::move(r), n.output(0));
    }
    void foldArithmetic(const NodeProto& n, NetOp op, const Constant& a, const Constant& b) {
        if (a.f.size() != b.f.size() || a.f.empty()) unsupported(n, "arithmetic of constants");
        Constant r = a;
        for (std::size_t i = 0; i < r.f.size(); ++i)
            r.f[i] = op == NetOp::Add ? a.f[i] + b.f[i] : op == NetOp::Sub ? a.f[i] - b.f[i] : a.f[i] * b.f[i];
        constants_[n.output(0)] = std::move(r);
    }
    void readConcat(const NodeProto& n) {
        if (number(n, "axis", 1) != 1 && number(n, "axis", 1) != -3)
            unsupported(n, "joining along another axis than channels");
        std::vector<int> in;
        int channels = 0;
        for (int k = 0; k < n.input_size(); ++k) {
            const Value v = picture(n, k);
            in.push_back(v.id);
            channels += v.channels;
            if (channels > kMostChannels) fail("absurd number of channels in " + called(n));
        }
        emit(begin(NetOp::Concat, n, std::move(in), channels), n.output(0));
    }
    void takeChannels(const NodeProto& n, const Value& v, std::int64_t first, std::int64_t count,
                      const std::string& name) {
        if (first < 0 || count < 1 || first + count > v.channels)
            fail(called(n) + " takes channels that are not there");
        NetNode r = begin(NetOp::Channels, n, {v.id}, static_cast<int>(count));
        r.first = static_cast<int>(first);
        emit(std::move(r), name);
    }
    void readSlice(const NodeProto& n) {
        const Value v = picture(n, 0);
        const auto part = [&](int k, const char* name) {
            if (const Constant* c = constant(n, k)) return c->whole();
            return list(n, name);
        };
        const auto starts = part(1, "starts"), ends = part(2, "ends");
        auto axes = part(3, "axes");
        if (axes.empty() && starts.size() == 1) axes = {0};
        const Constant* steps = constant(n, 4);
        if (starts.size() != 1 || ends.size() != 1 || axes.size() != 1 || (axes[0] != 1 && axes[0] != -3) ||
            (steps && (steps->whole().size() != 1 || steps->whole()[0] != 1)))
            unsupported(n, "cutting along other axes than channels");
        const auto at = [&](std::int64_t k) {
            return std::clamp<std::int64_t>(k < 0 ? k + v.channels : k, 0, v.channels);
        };
        takeChannels(n, v, at(starts[0]), at(ends[0]) - at(starts[0]), n.output(0));
    }
    void readSplit(const NodeProto& n) {
        const Value v = picture(n, 0);
        if (number(n, "axis", 0) != 1) unsupported(n, "splitting along another axis than channels");
        std::vector<std::int64_t> parts = constant(n, 1) ? constant(n, 1)->whole() : list(n, "split");
        if (parts.empty()) {
            if (v.channels % n.output_size()) fail("uneven parts in " + called(n));
            parts.assign(static_cast<std::size_t>(n.output_size()), v.channels / n.output_size());
        }
        if (parts.size() != static_cast<std::size_t>(n.output_size())) fail("parts do not fit in " + called(n));
        std::int64_t first = 0;
        for (std::size_t k = 0; k < parts.size(); ++k) {
            takeChannels(n, v, first, parts[k], n.output(static_cast<int>(k)));
            first += parts[k];
        }
    }
    void readShuffle(const NodeProto& n) {
        const Value v = picture(n, 0);
        const std::int64_t block = number(n, "blocksize", 0);
        if (block < 1 || block > kMostFactor) fail("absurd block size in " + called(n));
        const int b = static_cast<int>(block);
        const bool up = n.op_type() == "DepthToSpace";
        if (up && v.channels % (b * b)) fail("channels do not fit the block size in " + called(n));
        NetNode r = begin(up ? NetOp::DepthToSpace : NetOp::SpaceToDepth, n, {v.id},
                          up ? v.channels / (b * b) : v.channels * b * b);
        r.block = b;
        r.columnsFirst = text(n, "mode", "DCR") == "CRD";
        emit(std::move(r), n.output(0));
    }
    void readResize(const NodeProto& n) {
        NetNode r = simple(NetOp::Resize, n);
        const std::string mode = text(n, "mode", "nearest");
        r.resize = mode == "nearest" ? ResizeKind::Nearest : mode == "cubic" ? ResizeKind::Cubic : ResizeKind::Linear;
        const bool old = n.op_type() == "Upsample" || opset_ < 11;
        const std::string place = text(n, "coordinate_transformation_mode", old ? "asymmetric" : "half_pixel");
        if (place == "half_pixel" || place == "pytorch_half_pixel")
            r.place = NetNode::Place::HalfPixel;
        else if (place == "asymmetric")
            r.place = NetNode::Place::Asymmetric;
        else if (place == "align_corners")
            r.place = NetNode::Place::AlignCorners;
        else
            unsupported(n, "coordinates " + place);
        const std::string nearest = text(n, "nearest_mode", old ? "floor" : "round_prefer_floor");
        if (nearest != "floor" && nearest != "round_prefer_floor") unsupported(n, "rounding " + nearest);
        r.nearestFloor = nearest == "floor";
        r.cubicA = real(n, "cubic_coeff_a", -0.75f);
        if (number(n, "exclude_outside", 0)) unsupported(n, "exclude_outside");
        const Constant* c = constant(n, old ? 1 : 2);
        std::vector<float> scales = c ? c->f : std::vector<float>{};
        if (scales.empty())
            if (const auto* a = attribute(n, "scales")) scales.assign(a->floats().begin(), a->floats().end());
        if (scales.size() != 4) unsupported(n, "a size that is not given as four factors");
        for (int a = 0; a < 4; ++a)
            if (!(scales[a] >= 1.f / kMostFactor && scales[a] <= kMostFactor)) fail("absurd factor in " + called(n));
        if (scales[0] != 1 || scales[1] != 1) unsupported(n, "scaling of channels");
        r.factor = {scales[2], scales[3]};
        emit(std::move(r), n.output(0));
    }
    void readPad(const NodeProto& n) {
        NetNode r = simple(NetOp::Pad, n);
        const std::string mode = text(n, "mode", "constant");
        r.pad = mode == "reflect" ? PadKind::Mirror : mode == "edge" ? PadKind::Edge : PadKind::Zero;
        const auto p = constant(n, 1) ? constant(n, 1)->whole() : list(n, "pads");
        if (p.size() != 8) unsupported(n, "padding of other than four axes");
        for (auto v : p)
            if (v < 0 || v > 512) fail("absurd padding in " + called(n));
        if (p[0] || p[1] || p[4] || p[5]) unsupported(n, "padding of channels");
        if (const Constant* value = constant(n, 2); value && !value->f.empty() && value->f[0] != 0)
            unsupported(n, "padding with a value");
        if (real(n, "value", 0) != 0) unsupported(n, "padding with a value");
        r.pads = {static_cast<int>(p[2]), static_cast<int>(p[3]), static_cast<int>(p[6]), static_cast<int>(p[7])};
        emit(std::move(r), n.output(0));
    }

    const onnx::ModelProto& model_;
    const std::string& file_;
    int opset_ = 11, next_ = 1;
    std::map<std::string, Constant> constants_;
    std::map<std::string, Value> values_;
    NetGraph graph_;
};

bool parse(std::span<const std::byte> bytes, onnx::ModelProto& model) {
    google::protobuf::io::CodedInputStream in(reinterpret_cast<const std::uint8_t*>(bytes.data()),
                                              static_cast<int>(bytes.size()));
    in.SetRecursionLimit(30);
    return model.ParseFromCodedStream(&in) && in.ConsumedEntireMessage();
}

} // namespace

NetGraph readOnnx(std::span<const std::byte> bytes, const std::string& file) {
    const auto broken = [&](const char* reason) -> Error {
        return Error(Fault::Input, file, reason, "Copy or export the network again; it must be an ONNX file.");
    };
    if (bytes.empty()) throw broken("the file is empty");
    if (bytes.size() > static_cast<std::size_t>(kMostNetBytes)) throw broken("it is larger than 256 MB");
    onnx::ModelProto model;
    if (!parse(bytes, model)) throw broken("it is no ONNX file, or it is damaged");
    if (!model.has_graph() || model.graph().node_size() == 0) throw broken("it holds no network");
    return Reader(model, file).read();
}

std::string withInputSize(std::span<const std::byte> bytes, int channels, int rows, int columns) {
    onnx::ModelProto model;
    if (!parse(bytes, model)) throw std::logic_error("withInputSize: not an ONNX file");
    onnx::GraphProto& g = *model.mutable_graph();
    std::set<std::string> constants;
    for (const TensorProto& t : g.initializer()) constants.insert(t.name());
    for (auto& i : *g.mutable_input())
        if (!constants.contains(i.name())) {
            auto& shape = *i.mutable_type()->mutable_tensor_type()->mutable_shape();
            shape.clear_dim();
            for (int d : {1, channels, rows, columns}) shape.add_dim()->set_dim_value(d);
        }
    g.clear_value_info();
    for (auto& o : *g.mutable_output()) { // OpenCV insists on a shape, though it works out its own
        auto& type = *o.mutable_type()->mutable_tensor_type();
        if (type.has_shape()) continue;
        for (int axis = 0; axis < 4; ++axis) type.mutable_shape()->add_dim()->set_dim_param("any");
    }
    return model.SerializeAsString();
}

} // namespace ulm
