#include "core/model/dnn_runner.h"

#include "core/base/error.h"
#include "core/model/plain_ops.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>
#include <list>
#include <omp.h>
#include <oneapi/dnnl/dnnl.hpp>
#include <optional>

namespace ulm {
namespace {
using dnnl::algorithm;
using dnnl::memory;
using Desc = memory::desc;
using Tag = memory::format_tag;
using Type = memory::data_type;

constexpr std::size_t kIdlePlans = 12;

const dnnl::engine& engine() {
    static const dnnl::engine e(dnnl::engine::kind::cpu, 0);
    return e;
}

memory::dims dimsOf(const NetSize& s) { return {1, s.channels, s.rows, s.columns}; }
Desc plainDesc(const NetSize& s, Tag tag = Tag::nchw) { return {dimsOf(s), Type::f32, tag}; }

bool isActivation(NetOp op) {
    return op == NetOp::Prelu || op == NetOp::LeakyRelu || op == NetOp::Clip || op == NetOp::Sigmoid ||
           op == NetOp::Tanh;
}

struct Eltwise {
    algorithm kind;
    float alpha, beta;
};
// None for slopes that differ from channel to channel.
std::optional<Eltwise> eltwiseOf(const NetNode& n) {
    switch (n.op) {
    case NetOp::LeakyRelu: return Eltwise{algorithm::eltwise_relu, n.alpha, 0};
    case NetOp::Prelu:
        return n.weights.size() == 1 ? std::optional(Eltwise{algorithm::eltwise_relu, n.weights[0], 0}) : std::nullopt;
    case NetOp::Clip:
        if (n.low == 0 && std::isinf(n.high)) return Eltwise{algorithm::eltwise_relu, 0, 0};
        return Eltwise{algorithm::eltwise_clip, std::max(n.low, -3e38f), std::min(n.high, 3e38f)};
    case NetOp::Sigmoid: return Eltwise{algorithm::eltwise_logistic, 0, 0};
    case NetOp::Tanh: return Eltwise{algorithm::eltwise_tanh, 0, 0};
    default: return std::nullopt;
    }
}

} // namespace

bool hasBf16() {
    static const bool has = [] {
        const auto isa = dnnl::get_effective_cpu_isa();
        return isa == dnnl::cpu_isa::avx512_core_bf16 || isa == dnnl::cpu_isa::avx512_core_amx;
    }();
    return has;
}

bool hasInt8() {
    static const bool has = [] {
        const auto isa = dnnl::get_effective_cpu_isa();
        return isa == dnnl::cpu_isa::avx512_core_vnni || isa == dnnl::cpu_isa::avx512_core_bf16 ||
               isa == dnnl::cpu_isa::avx512_core_amx || isa == dnnl::cpu_isa::avx2_vnni;
    }();
    return has;
}

// The weights of one convolution in 8 bits: a scale an output channel.
struct Codes {
    std::vector<std::int8_t> weights;
    std::vector<float> scales;
};

struct DnnRunner::Shared {
    std::mutex mutex;
    std::vector<std::vector<std::pair<Desc, memory>>> kept; // by node
    std::vector<std::optional<Codes>> codes;                // by node

    const Codes& codesOf(std::size_t node, const NetNode& n) {
        std::lock_guard lock(mutex);
        if (codes[node]) return *codes[node];
        Codes c;
        const std::size_t each = n.weights.size() / std::size_t(n.channels);
        for (std::size_t o = 0; o < std::size_t(n.channels); ++o) {
            const auto from = n.weights.begin() + std::ptrdiff_t(o * each);
            float most = 1e-12f;
            std::for_each(from, from + std::ptrdiff_t(each), [&](float w) { most = std::max(most, std::abs(w)); });
            c.scales.push_back(most / 127);
            std::for_each(from, from + std::ptrdiff_t(each), [&](float w) {
                c.weights.push_back(static_cast<std::int8_t>(std::lround(w / c.scales.back())));
            });
        }
        return *(codes[node] = std::move(c));
    }

    memory weights(std::size_t node, const Desc& wanted, const Desc& given, const void* numbers, dnnl::stream& stream) {
        std::lock_guard lock(mutex);
        for (auto& [desc, m] : kept[node])
            if (desc == wanted) return m;
        memory from(given, engine(), const_cast<void*>(numbers)), to(wanted, engine());
        dnnl::reorder(from, to).execute(stream, from, to);
        stream.wait();
        kept[node].emplace_back(wanted, to);
        return to;
    }
};

// Everything for one input size: what runs, in order, on which buffers.
class DnnRunner::Plan {
public:
    Plan(const DnnRunner& owner, const Shape& shape)
        : owner_(owner), graph_(owner.graph_), type_(owner.precision_ == NetPrecision::Bf16 ? Type::bf16 : Type::f32),
          stream_(engine()), sizes_(sizesFor(graph_, shape.rows, shape.columns, owner.file_)) {
        const Tag outside = shape.layout == Layout::Interleaved ? Tag::nhwc : Tag::nchw;
        lastUse_.assign(sizes_.size(), -1);
        for (std::size_t k = 0; k < graph_.nodes.size(); ++k)
            for (int v : graph_.nodes[k].in)
                if (v >= 0) lastUse_[static_cast<std::size_t>(v)] = static_cast<int>(k);
        lastUse_[static_cast<std::size_t>(graph_.result)] = static_cast<int>(graph_.nodes.size());
        values_.resize(sizes_.size());
        bufferOf_.assign(sizes_.size(), -1);
        input_ = memory(plainDesc(sizes_[0], outside), engine(), nullptr);
        values_[0] = input_;
        for (std::size_t k = 0; k < graph_.nodes.size() && !endsShuffled_; ++k) k = add(k);
        if (endsShuffled_) return;
        result_ = valueIn(graph_.result, static_cast<int>(graph_.nodes.size()), outside);
    }

    void run(const float* in, float* out) {
        input_.set_data_handle(const_cast<float*>(in));
        for (const auto& step : steps_) step();
        stream_.wait();
        if (endsShuffled_) {
            const auto from = [](const memory& m) { return static_cast<const float*>(m.get_data_handle()); };
            return shuffledSum(from(sum_[0]), from(sum_[1]), sumSize_, graph_.nodes.back().block, out);
        }
        const NetSize& s = sizes_[static_cast<std::size_t>(graph_.result)];
        std::memcpy(out, result_.get_data_handle(), sizeof(float) * static_cast<std::size_t>(s.count()));
    }

private:
    // ---- buffers: a value's room is given to a later one as soon as nobody reads it any more

    memory room(const Desc& desc, int value, int freeAfter) {
        const std::size_t bytes = desc.get_size();
        int best = -1;
        for (std::size_t b = 0; b < buffers_.size(); ++b)
            if (busyUntil_[b] < now_ && (best < 0 || std::abs(double(buffers_[b].size()) - double(bytes)) <
                                                         std::abs(double(buffers_[best].size()) - double(bytes))))
                best = static_cast<int>(b);
        if (best < 0 || buffers_[static_cast<std::size_t>(best)].size() < bytes) {
            buffers_.emplace_back(bytes);
            busyUntil_.push_back(0);
            best = static_cast<int>(buffers_.size()) - 1;
        }
        busyUntil_[static_cast<std::size_t>(best)] = freeAfter;
        if (value >= 0) bufferOf_[static_cast<std::size_t>(value)] = best;
        return memory(desc, engine(), buffers_[static_cast<std::size_t>(best)].data());
    }
    memory valueRoom(const Desc& desc, int value) {
        return values_[static_cast<std::size_t>(value)] = room(desc, value, lastUse_[static_cast<std::size_t>(value)]);
    }

    void execute(dnnl::primitive p, std::unordered_map<int, memory> args) {
        steps_.push_back([this, p = std::move(p), args = std::move(args)] { p.execute(stream_, args); });
    }
    memory inLayout(const memory& m, const Desc& wanted) {
        if (m.get_desc() == wanted) return m;
        memory to = room(wanted, -1, now_);
        execute(dnnl::reorder(m, to), {{DNNL_ARG_FROM, m}, {DNNL_ARG_TO, to}});
        return to;
    }
    memory valueIn(int v, int at, Tag tag) {
        now_ = at;
        return inLayout(values_[static_cast<std::size_t>(v)], plainDesc(sizes_[static_cast<std::size_t>(v)], tag));
    }
    memory plainValue(int v, int at) { return valueIn(v, at, Tag::nchw); }

    // ---- steps

    // Adds node k, and the activation after it where one can be done on the way. Returns the last node added.
    std::size_t add(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        now_ = static_cast<int>(k);
        if (isShuffledSum(k)) return addShuffledSum(k);
        try {
            switch (n.op) {
            case NetOp::Conv:
                if (quantisedValue(n.in[0])) return addCodedConv(k);
                return addConv(k);
            case NetOp::ConvTranspose: return addConv(k);
            case NetOp::Add:
            case NetOp::Sub:
            case NetOp::Mul:
                if (n.in[0] >= 0) return addBinary(k);
                break;
            case NetOp::Concat: return addConcat(k);
            case NetOp::Average: return addAverage(k);
            default:
                if (eltwiseOf(n)) return addEltwise(k);
            }
        } catch (const dnnl::error&) { // no implementation for this shape: the plain one does it
        }
        return addPlain(k);
    }

    const NetNode* activationAfter(std::size_t k) const {
        if (k + 1 >= graph_.nodes.size()) return nullptr;
        const NetNode &n = graph_.nodes[k], &next = graph_.nodes[k + 1];
        const bool only = n.out != graph_.result && next.in[0] == n.out &&
                          lastUse_[static_cast<std::size_t>(n.out)] == static_cast<int>(k + 1);
        return only && isActivation(next.op) ? &next : nullptr;
    }

    std::size_t addConv(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        const bool transpose = n.op == NetOp::ConvTranspose;
        const NetSize &from = sizes_[static_cast<std::size_t>(n.in[0])], &to = sizes_[static_cast<std::size_t>(n.out)];
        const memory::dim g = n.groups, o = to.channels / g, i = from.channels / g, kh = n.kernel[0], kw = n.kernel[1];
        memory::dims shape = g > 1 ? memory::dims{g, o, i, kh, kw} : memory::dims{o, i, kh, kw};
        const Tag given = transpose ? (g > 1 ? Tag::giohw : Tag::iohw) : (g > 1 ? Tag::goihw : Tag::oihw);
        const Desc src(dimsOf(from), type_, Tag::any), dst(dimsOf(to), type_, Tag::any),
            weights(shape, type_, Tag::any), bias({to.channels}, Type::f32, Tag::x);
        const memory::dims strides{n.stride[0], n.stride[1]}, dilates{n.dilation[0] - 1, n.dilation[1] - 1};
        // The last pads follow from the result's size (a stride may leave some of the file's pads unread).
        memory::dims padL{n.pads[0], n.pads[1]}, padR{n.pads[2], n.pads[3]};
        if (!transpose)
            for (int a = 0; a < 2; ++a) {
                const int in = a ? from.columns : from.rows, out = a ? to.columns : to.rows;
                padR[a] = (out - 1) * n.stride[a] + (n.kernel[a] - 1) * n.dilation[a] + 1 - in - padL[a];
            }
        else
            for (int a = 0; a < 2; ++a) padR[a] -= n.outputPadding[a];

        const NetNode* act = activationAfter(k);
        dnnl::primitive_attr attr;
        dnnl::post_ops post;
        if (act) {
            if (const auto e = eltwiseOf(*act))
                post.append_eltwise(1.f, e->kind, e->alpha, e->beta);
            else
                post.append_prelu(2);
            attr.set_post_ops(post);
        }
        std::unordered_map<int, memory> args;
        const auto build = [&](const auto& pd, auto primitive) {
            const memory in = inLayout(values_[static_cast<std::size_t>(n.in[0])], pd.src_desc());
            const memory w =
                owner_.shared_->weights(k, pd.weights_desc(), Desc(shape, Type::f32, given), n.weights.data(), stream_);
            args = {{DNNL_ARG_SRC, in}, {DNNL_ARG_WEIGHTS, w}};
            if (!n.bias.empty()) args[DNNL_ARG_BIAS] = memory(bias, engine(), const_cast<float*>(n.bias.data()));
            if (act && !eltwiseOf(*act))
                args[DNNL_ARG_ATTR_MULTIPLE_POST_OP(0) | DNNL_ARG_WEIGHTS] =
                    memory(Desc({1, to.channels, 1, 1}, Type::f32, Tag::nchw), engine(),
                           const_cast<float*>(act->weights.data()));
            args[DNNL_ARG_DST] = valueRoom(pd.dst_desc(), act ? act->out : n.out);
            execute(std::move(primitive), args);
        };
        const auto kind = dnnl::prop_kind::forward_inference;
        if (transpose) {
            using D = dnnl::deconvolution_forward;
            const auto d = n.bias.empty() ? D::desc(kind, algorithm::deconvolution_direct, src, weights, dst, strides,
                                                    dilates, padL, padR)
                                          : D::desc(kind, algorithm::deconvolution_direct, src, weights, bias, dst,
                                                    strides, dilates, padL, padR);
            const D::primitive_desc pd(d, attr, engine());
            build(pd, D(pd));
        } else {
            using C = dnnl::convolution_forward;
            const auto d = n.bias.empty() ? C::desc(kind, algorithm::convolution_direct, src, weights, dst, strides,
                                                    dilates, padL, padR)
                                          : C::desc(kind, algorithm::convolution_direct, src, weights, bias, dst,
                                                    strides, dilates, padL, padR);
            const C::primitive_desc pd(d, attr, engine());
            build(pd, C(pd));
        }
        return act ? k + 1 : k;
    }

    // ---- 8 bits

    const QuantisedValue* quantisedValue(int v) const {
        const auto& all = owner_.quantised_;
        return v >= 0 && std::size_t(v) < all.size() && all[std::size_t(v)] ? &*all[std::size_t(v)] : nullptr;
    }
    memory zeroPoint(const QuantisedValue& v) {
        zeros_.push_back(std::make_unique<std::int32_t>(v.zero));
        return memory(Desc({1}, Type::s32, Tag::x), engine(), zeros_.back().get());
    }
    // A value's codes: as a convolution wrote them, or made of its floats.
    memory codesOf(int value, const Desc& wanted) {
        const memory& m = values_[std::size_t(value)];
        if (m.get_desc().data.data_type == dnnl_u8) return inLayout(m, wanted);
        const QuantisedValue& q = *quantisedValue(value);
        dnnl::primitive_attr attr;
        attr.set_output_scales(0, {1 / q.scale});
        attr.set_zero_points(DNNL_ARG_DST, 0, {q.zero});
        const memory to = room(wanted, -1, now_);
        execute(dnnl::reorder(dnnl::reorder::primitive_desc(m, to, attr)), {{DNNL_ARG_FROM, m}, {DNNL_ARG_TO, to}});
        return to;
    }

    // A convolution of codes; what follows it is written as codes too where it is to be.
    std::size_t addCodedConv(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        const QuantisedValue& from = *quantisedValue(n.in[0]);
        const NetNode* act = activationAfter(k);
        const QuantisedValue* to = act ? quantisedValue(act->out) : nullptr;
        const NetSize &in = sizes_[std::size_t(n.in[0])], &out = sizes_[std::size_t(n.out)];
        const memory::dims shape{out.channels, in.channels, n.kernel[0], n.kernel[1]};
        const Desc src(dimsOf(in), Type::u8, Tag::any), dst(dimsOf(out), to ? Type::u8 : Type::f32, Tag::any),
            weights(shape, Type::s8, Tag::any), bias({out.channels}, Type::f32, Tag::x);
        const Codes& codes = owner_.shared_->codesOf(k, n);
        std::vector<float> scales;
        auto& sums = biases_.emplace_back(); // the bias, in the sums' own unit
        for (std::size_t o = 0; o < codes.scales.size(); ++o) {
            scales.push_back(from.scale * codes.scales[o] / (to ? to->scale : 1.f));
            sums.push_back(n.bias.empty() ? 0.f : n.bias[o] / (from.scale * codes.scales[o]));
        }
        dnnl::primitive_attr attr;
        attr.set_output_scales(2, scales);
        attr.set_zero_points(DNNL_ARG_SRC, 0, {DNNL_RUNTIME_S32_VAL});
        if (to) attr.set_zero_points(DNNL_ARG_DST, 0, {DNNL_RUNTIME_S32_VAL});
        if (act) {
            dnnl::post_ops post; // of what is already divided by the result's scale: a leaky rectifier does not mind
            const auto e = *eltwiseOf(*act);
            post.append_eltwise(1.f, e.kind, e.alpha, e.beta);
            attr.set_post_ops(post);
        }
        using C = dnnl::convolution_forward;
        const C::primitive_desc pd({dnnl::prop_kind::forward_inference,
                                    algorithm::convolution_direct,
                                    src,
                                    weights,
                                    bias,
                                    dst,
                                    {n.stride[0], n.stride[1]},
                                    {n.dilation[0] - 1, n.dilation[1] - 1},
                                    {n.pads[0], n.pads[1]},
                                    {n.pads[2], n.pads[3]}},
                                   attr, engine());
        std::unordered_map<int, memory> args{
            {DNNL_ARG_SRC, codesOf(n.in[0], pd.src_desc())},
            {DNNL_ARG_WEIGHTS, owner_.shared_->weights(k, pd.weights_desc(), Desc(shape, Type::s8, Tag::oihw),
                                                       codes.weights.data(), stream_)},
            {DNNL_ARG_BIAS, memory(bias, engine(), sums.data())},
            {DNNL_ARG_ATTR_ZERO_POINTS | DNNL_ARG_SRC, zeroPoint(from)}};
        if (to) args[DNNL_ARG_ATTR_ZERO_POINTS | DNNL_ARG_DST] = zeroPoint(*to);
        args[DNNL_ARG_DST] = valueRoom(pd.dst_desc(), act ? act->out : n.out);
        execute(C(pd), args);
        return act ? k + 1 : k;
    }

    std::size_t addEltwise(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        const auto e = *eltwiseOf(n);
        const memory in = values_[static_cast<std::size_t>(n.in[0])];
        using E = dnnl::eltwise_forward;
        const E::primitive_desc pd({dnnl::prop_kind::forward_inference, e.kind, in.get_desc(), e.alpha, e.beta},
                                   engine());
        execute(E(pd), {{DNNL_ARG_SRC, in}, {DNNL_ARG_DST, valueRoom(in.get_desc(), n.out)}});
        return k;
    }

    std::size_t addBinary(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        const algorithm how = n.op == NetOp::Add   ? algorithm::binary_add
                              : n.op == NetOp::Sub ? algorithm::binary_sub
                                                   : algorithm::binary_mul;
        const NetSize& s = sizes_[static_cast<std::size_t>(n.out)];
        const auto same = [&](int v) { return sizes_[static_cast<std::size_t>(v)] == s; };
        if (!same(n.in[0])) return addPlain(k);
        const memory a = values_[static_cast<std::size_t>(n.in[0])];
        memory b;
        if (n.in[1] >= 0 && !same(n.in[1]))
            b = plainValue(n.in[1], static_cast<int>(k));
        else if (n.in[1] >= 0)
            b = inLayout(values_[static_cast<std::size_t>(n.in[1])], a.get_desc());
        else
            b = memory(Desc({1, n.weights.size() == 1 ? 1 : s.channels, 1, 1}, Type::f32, Tag::nchw), engine(),
                       const_cast<float*>(n.weights.data()));
        using B = dnnl::binary;
        const B::primitive_desc pd({how, a.get_desc(), b.get_desc(), a.get_desc()}, engine());
        execute(B(pd), {{DNNL_ARG_SRC_0, a}, {DNNL_ARG_SRC_1, b}, {DNNL_ARG_DST, valueRoom(a.get_desc(), n.out)}});
        return k;
    }

    // A sum whose channels become one picture, at the network's end: done on the way out.
    bool isShuffledSum(std::size_t k) const {
        if (k + 2 != graph_.nodes.size() || graph_.nodes[k].op != NetOp::Add) return false;
        const NetNode &n = graph_.nodes[k], &last = graph_.nodes[k + 1];
        const NetSize& s = sizes_[static_cast<std::size_t>(n.out)];
        return last.op == NetOp::DepthToSpace && last.in[0] == n.out && last.out == graph_.result &&
               s.channels == last.block * last.block &&
               std::ranges::all_of(n.in, [&](int v) { return v >= 0 && sizes_[static_cast<std::size_t>(v)] == s; });
    }
    std::size_t addShuffledSum(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        sumSize_ = sizes_[static_cast<std::size_t>(n.out)];
        for (std::size_t i = 0; i < 2; ++i) sum_[i] = valueIn(n.in[i], static_cast<int>(k), Tag::nhwc);
        endsShuffled_ = true;
        return k + 1;
    }

    std::size_t addAverage(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        const memory in = values_[static_cast<std::size_t>(n.in[0])];
        const NetSize &from = sizes_[static_cast<std::size_t>(n.in[0])], &to = sizes_[static_cast<std::size_t>(n.out)];
        using P = dnnl::pooling_forward;
        const memory::dims all{from.rows, from.columns}, none{0, 0};
        const P::primitive_desc pd({dnnl::prop_kind::forward_inference, algorithm::pooling_avg_exclude_padding,
                                    in.get_desc(), Desc(dimsOf(to), in.get_desc().data_type(), Tag::any), all, all,
                                    none, none},
                                   engine());
        execute(P(pd), {{DNNL_ARG_SRC, in}, {DNNL_ARG_DST, valueRoom(pd.dst_desc(), n.out)}});
        return k;
    }

    std::size_t addConcat(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        std::vector<memory> in;
        std::vector<Desc> descs;
        for (int v : n.in) {
            in.push_back(values_[static_cast<std::size_t>(v)]);
            descs.push_back(in.back().get_desc());
        }
        const dnnl::concat::primitive_desc pd(1, descs, engine());
        std::unordered_map<int, memory> args{{DNNL_ARG_DST, valueRoom(pd.dst_desc(), n.out)}};
        for (std::size_t i = 0; i < in.size(); ++i) args[DNNL_ARG_MULTIPLE_SRC + static_cast<int>(i)] = in[i];
        execute(dnnl::concat(pd), std::move(args));
        return k;
    }

    std::size_t addPlain(std::size_t k) {
        const NetNode& n = graph_.nodes[k];
        std::vector<memory> in;
        std::vector<NetSize> sizes;
        for (int v : n.in)
            if (v >= 0) {
                in.push_back(plainValue(v, static_cast<int>(k)));
                sizes.push_back(sizes_[static_cast<std::size_t>(v)]);
            }
        const NetSize size = sizes_[static_cast<std::size_t>(n.out)];
        const memory out = valueRoom(plainDesc(size), n.out);
        steps_.push_back([&n, in, sizes, out, size] {
            std::vector<const float*> from;
            for (const memory& m : in) from.push_back(static_cast<const float*>(m.get_data_handle()));
            runPlain(n, from, sizes, static_cast<float*>(out.get_data_handle()), size);
        });
        return k;
    }

    struct Aligned { // dnnl wants 64-byte rows for speed
        explicit Aligned(std::size_t bytes)
            : bytes_(bytes),
              data_(static_cast<std::byte*>(std::aligned_alloc(64, (bytes + 63) / 64 * 64)), &std::free) {
            if (!data_) throw std::bad_alloc();
        }
        std::size_t size() const { return bytes_; }
        void* data() const { return data_.get(); }
        std::size_t bytes_;
        std::unique_ptr<std::byte, void (*)(void*)> data_;
    };

    const DnnRunner& owner_;
    const NetGraph& graph_;
    Type type_;
    dnnl::stream stream_;
    std::vector<NetSize> sizes_;
    std::vector<int> lastUse_, bufferOf_, busyUntil_;
    std::vector<memory> values_;
    std::vector<Aligned> buffers_;
    std::vector<std::function<void()>> steps_;
    std::vector<std::unique_ptr<std::int32_t>> zeros_;
    std::list<std::vector<float>> biases_;
    memory input_, result_, sum_[2];
    NetSize sumSize_;
    bool endsShuffled_ = false;
    int now_ = 0;
};

DnnRunner::DnnRunner(NetGraph graph, std::string file, NetPrecision precision)
    : graph_(std::move(graph)), file_(std::move(file)),
      precision_(precision == NetPrecision::Bf16 && hasBf16() ? NetPrecision::Bf16 : NetPrecision::F32),
      shared_(std::make_unique<Shared>()) {
    if (precision == NetPrecision::Int8 && hasInt8())
        if (auto q = quantised(graph_)) {
            graph_ = std::move(q->graph);
            quantised_ = std::move(q->values);
            precision_ = NetPrecision::Int8;
        }
    shared_->kept.resize(graph_.nodes.size());
    shared_->codes.resize(graph_.nodes.size());
}

DnnRunner::~DnnRunner() = default;

std::int64_t DnnRunner::bytesFor(int rows, int columns) const {
    std::int64_t sum = 0;
    for (const NetSize& s : sizesFor(graph_, rows, columns, file_)) sum += 4 * s.count();
    return sum;
}

std::unique_ptr<DnnRunner::Plan> DnnRunner::take(const Shape& shape) const {
    {
        std::lock_guard lock(mutex_);
        const auto it = std::ranges::find_if(idle_, [&](const auto& p) { return p.first == shape; });
        if (it != idle_.end()) {
            auto plan = std::move(it->second);
            idle_.erase(it);
            return plan;
        }
    }
    if (const std::int64_t bytes = bytesFor(shape.rows, shape.columns); bytes > kMostRunBytes)
        throw Error(Fault::Input, file_, "the network needs " + std::to_string(bytes / 1'000'000) + " MB for one tile",
                    "Use a smaller network.");
    // Made side by side, oneDNN's own code for a shape now and then comes out wrong (2.6.3), and is kept for all later
    // networks of that shape.
    static std::mutex making;
    std::lock_guard lock(making);
    return std::make_unique<Plan>(*this, shape);
}

void DnnRunner::giveBack(const Shape& shape, std::unique_ptr<Plan> plan) const {
    std::lock_guard lock(mutex_);
    idle_.emplace_back(shape, std::move(plan));
    if (idle_.size() > kIdlePlans) idle_.erase(idle_.begin());
}

void DnnRunner::run(const float* in, int rows, int columns, float* out, Layout layout) const {
    omp_set_num_threads(1); // callers go parallel over tiles; the setting is this thread's own
    const Shape shape{rows, columns, layout};
    auto plan = take(shape);
    plan->run(in, out);
    giveBack(shape, std::move(plan));
}

} // namespace ulm
