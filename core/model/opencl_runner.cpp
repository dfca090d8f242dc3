#include "core/model/opencl_runner.h"

#include "core/model/plain_ops.h"

#include <algorithm>
#include <array>
#include <climits>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <limits>
#include <map>
#include <mutex>
#include <opencv2/core/ocl.hpp>
#include <opencv2/dnn.hpp>

namespace ulm {
namespace {

constexpr std::size_t kMostSizes = 8;

bool isSet(const char* name, std::string_view wanted) {
    const char* value = std::getenv(name);
    return value && wanted == value;
}

// Asking OpenCL loads every driver that is installed, a hundred megabytes with some: only where there is a device.
bool deviceIsThere() {
    std::error_code none;
    for (const char* device : {"/dev/nvidia0", "/dev/kfd", "/dev/mali0"})
        if (std::filesystem::exists(device, none)) return true;
    for (std::filesystem::directory_iterator it("/dev/dri", none), end; !none && it != end; it.increment(none))
        if (it->path().filename().string().starts_with("renderD")) return true;
    return false;
}

// OpenCV's names for a step of ours.
struct LayerOf {
    const char* type;
    cv::dnn::LayerParams params;
};

LayerOf layerOf(const NetNode& n) {
    LayerOf l{"", {}};
    cv::dnn::LayerParams& p = l.params;
    switch (n.op) {
    case NetOp::Conv: {
        l.type = "Convolution";
        p.set("kernel_h", n.kernel[0]), p.set("kernel_w", n.kernel[1]);
        p.set("stride_h", n.stride[0]), p.set("stride_w", n.stride[1]);
        p.set("dilation_h", n.dilation[0]), p.set("dilation_w", n.dilation[1]);
        p.set("pad_t", n.pads[0]), p.set("pad_l", n.pads[1]), p.set("pad_b", n.pads[2]), p.set("pad_r", n.pads[3]);
        p.set("group", n.groups), p.set("num_output", n.channels), p.set("bias_term", !n.bias.empty());
        const int perGroup = static_cast<int>(n.weights.size()) / (n.channels * n.kernel[0] * n.kernel[1]);
        const int shape[] = {n.channels, perGroup, n.kernel[0], n.kernel[1]};
        p.blobs.push_back(cv::Mat(4, shape, CV_32F, const_cast<float*>(n.weights.data())).clone());
        if (!n.bias.empty()) p.blobs.push_back(cv::Mat(n.bias, true).reshape(1, 1));
        break;
    }
    case NetOp::LeakyRelu:
        l.type = "ReLU";
        p.set("negative_slope", n.alpha);
        break;
    case NetOp::Prelu: {
        const bool one = n.weights.size() == 1; // slope for all channels
        l.type = one ? "ReLU" : "PReLU";
        if (one)
            p.set("negative_slope", n.weights[0]);
        else
            p.blobs.push_back(cv::Mat(n.weights, true).reshape(1, 1));
        break;
    }
    case NetOp::Clip:
        l.type = "ReLU6";
        p.set("min_value", std::max(n.low, std::numeric_limits<float>::lowest()));
        p.set("max_value", std::min(n.high, std::numeric_limits<float>::max()));
        break;
    case NetOp::Concat:
        l.type = "Concat";
        p.set("axis", 1);
        break;
    case NetOp::Channels: {
        l.type = "Slice";
        const int begin[] = {0, n.first}, end[] = {INT_MAX, n.first + n.channels};
        p.set("begin", cv::dnn::DictValue::arrayInt(begin, 2)), p.set("end", cv::dnn::DictValue::arrayInt(end, 2));
        break;
    }
    default: l.type = "Eltwise"; p.set("operation", "sum");
    }
    return l;
}

const NetNode* shuffleAtTheEnd(const NetGraph& g) {
    const NetNode& last = g.nodes.back();
    return last.op == NetOp::DepthToSpace && last.out == g.result ? &last : nullptr;
}

} // namespace

std::string graphicsProcessor() {
    if (isSet("ULMWOOD_OPENCL", "off")) return {};
    const bool anyDevice = isSet("OPENCV_DNN_OPENCL_ALLOW_ALL_DEVICES", "1");
    if (!anyDevice && !deviceIsThere()) return {};
    try {
        if (!cv::ocl::haveOpenCL()) return {};
        const cv::ocl::Device& d = cv::ocl::Device::getDefault();
        if (!d.ptr() || !d.available()) return {};
        if (d.type() != cv::ocl::Device::TYPE_GPU && !anyDevice) return {};
        return d.name() + ", " + d.driverVersion();
    } catch (const std::exception&) { // a driver that cannot even be asked
        return {};
    }
}

struct OpenclRunner::Nets {
    const NetGraph graph;
    std::mutex mutex;
    std::map<std::pair<int, int>, cv::dnn::Net> bySize;

    cv::dnn::Net made() const {
        cv::dnn::Net net;
        std::vector<int> layer(static_cast<std::size_t>(graph.values)); // that makes a value; 0 is the input
        for (const NetNode& n : graph.nodes) {
            if (n.op == NetOp::DepthToSpace) break; // the end: done by us
            LayerOf l = layerOf(n);
            const int id = net.addLayer("v" + std::to_string(n.out), l.type, l.params);
            for (std::size_t k = 0; k < n.in.size(); ++k)
                net.connect(layer[static_cast<std::size_t>(n.in[k])], 0, id, static_cast<int>(k));
            layer[static_cast<std::size_t>(n.out)] = id;
        }
        net.setPreferableBackend(cv::dnn::DNN_BACKEND_OPENCV);
        net.setPreferableTarget(cv::dnn::DNN_TARGET_OPENCL);
        return net;
    }
};

bool OpenclRunner::knows(const NetGraph& g) {
    return !g.nodes.empty() && std::ranges::all_of(g.nodes, [&](const NetNode& n) {
        switch (n.op) {
        case NetOp::Conv: return n.pads[0] == n.pads[2] && n.pads[1] == n.pads[3]; // OpenCV's takes no others
        case NetOp::LeakyRelu:
        case NetOp::Prelu:
        case NetOp::Clip:
        case NetOp::Concat:
        case NetOp::Channels: return true;
        case NetOp::Add: return std::ranges::all_of(n.in, [](int v) { return v >= 0; });
        case NetOp::DepthToSpace: return &n == shuffleAtTheEnd(g);
        default: return false;
        }
    });
}

OpenclRunner::OpenclRunner(NetGraph graph) : nets_(new Nets{std::move(graph), {}, {}}) {}
OpenclRunner::~OpenclRunner() = default;

bool OpenclRunner::run(const float* in, int rows, int columns, float* out) const noexcept {
    try {
        if (!cv::ocl::useOpenCL()) return false; // OpenCV would quietly use the processor
        const NetGraph& g = nets_->graph;
        const int shape[] = {1, g.inputChannels, rows, columns};
        std::lock_guard lock(nets_->mutex);
        auto at = nets_->bySize.find({rows, columns});
        if (at == nets_->bySize.end()) {
            if (nets_->bySize.size() >= kMostSizes) nets_->bySize.clear();
            at = nets_->bySize.emplace(std::pair(rows, columns), nets_->made()).first;
        }
        at->second.setInput(cv::Mat(4, shape, CV_32F, const_cast<float*>(in)));
        const cv::Mat result = at->second.forward();
        const std::vector<NetSize> sizes = sizesFor(g, rows, columns, "");
        const NetNode* shuffle = shuffleAtTheEnd(g);
        const NetSize whole = sizes[static_cast<std::size_t>(g.result)];
        const NetSize told = shuffle ? sizes[static_cast<std::size_t>(shuffle->in[0])] : whole;
        if (result.type() != CV_32F || !result.isContinuous() || std::int64_t(result.total()) != told.count())
            return false;
        const float* numbers = result.ptr<float>();
        if (!std::all_of(numbers, numbers + result.total(), [](float v) { return std::isfinite(v); })) return false;
        if (shuffle)
            runPlain(*shuffle, std::array{numbers}, std::array{told}, out, whole);
        else
            std::copy_n(numbers, result.total(), out);
        return true;
    } catch (const std::exception&) { // OpenCV's own, and whatever a driver lets through
        return false;
    }
}

} // namespace ulm
