#pragma once

#include "core/model/quantised.h"

#include <map>
#include <memory>
#include <mutex>
#include <span>

namespace ulm {

/// Arithmetic inside a network. Bf16 keeps weights and pictures between layers in 16 bits; sums stay in f32. Int8 keeps
/// those between hidden layers in 8 bits, with a scale a value and one a channel of weights; sums stay in 32 bits, the
/// first layer and the result in f32.
enum class NetPrecision { F32, Bf16, Int8 };
/// Whether this processor computes bf16 or 8-bit products itself; elsewhere they are not offered.
bool hasBf16();
bool hasInt8();

/// Runs a network on oneDNN: layouts that the processor likes are kept from layer to layer, activations are done while
/// convolutions write. Uses the calling thread only; may be called from many at once.
class DnnRunner {
public:
    DnnRunner(NetGraph graph, std::string file, NetPrecision precision = NetPrecision::F32);
    ~DnnRunner();

    const NetGraph& graph() const { return graph_; }
    /// What is used: f32 where the processor or the network (without the notes of quantised()) does not allow another.
    NetPrecision precision() const { return precision_; }
    /// in: inputChannels × rows × columns; out: the result's channels × rows × columns, as sizesFor() says.
    /// Errors: Fault::Input where the size does not suit the network, or it would need more than kMostRunBytes.
    /// Interleaved: a pixel's channels lie side by side, in `in` and in `out`. Layers like that: it saves two passes.
    enum class Layout { Planes, Interleaved };
    void run(const float* in, int rows, int columns, float* out, Layout layout = Layout::Planes) const;

    /// Bytes of all pictures between layers for an input of this size, were none shared.
    std::int64_t bytesFor(int rows, int columns) const;
    static constexpr std::int64_t kMostRunBytes = 1'500'000'000;

private:
    class Plan;
    struct Shape {
        int rows, columns;
        Layout layout;
        bool operator==(const Shape&) const = default;
    };
    std::unique_ptr<Plan> take(const Shape&) const;
    void giveBack(const Shape&, std::unique_ptr<Plan>) const;

    NetGraph graph_;
    std::vector<std::optional<QuantisedValue>> quantised_; ///< by value; empty unless 8 bits are used
    std::string file_;
    NetPrecision precision_;
    struct Shared; ///< weights in the layouts that plans asked for
    std::unique_ptr<Shared> shared_;
    mutable std::mutex mutex_;
    mutable std::vector<std::pair<Shape, std::unique_ptr<Plan>>> idle_; ///< newest last
};

} // namespace ulm
