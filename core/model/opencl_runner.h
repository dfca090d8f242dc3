#pragma once

#include "core/model/net_graph.h"

#include <memory>
#include <string>

namespace ulm {

/// The graphics processor that OpenCL offers, as "its name, its driver's version"; empty where there is none. Other
/// devices of OpenCL's count only where OPENCV_DNN_OPENCL_ALLOW_ALL_DEVICES is set (for tests). ULMWOOD_OPENCL=off
/// hides it.
std::string graphicsProcessor();

/// Runs a network on the graphics processor, in f32, by OpenCV's DNN module over OpenCL. One run at a time.
class OpenclRunner {
public:
    /// Whether it can run this network: convolutions, rectifiers, joined and split channels and sums, with a pixel
    /// shuffle at the end or without. Those that ship are so, and most compact ones.
    static bool knows(const NetGraph&);

    explicit OpenclRunner(NetGraph graph); ///< one that it knows
    ~OpenclRunner();

    /// As DnnRunner::run(). False where OpenCL failed, or gave numbers that are none: nothing in `out` is to be used.
    bool run(const float* in, int rows, int columns, float* out) const noexcept;

private:
    struct Nets; ///< one a size
    std::unique_ptr<Nets> nets_;
};

} // namespace ulm
