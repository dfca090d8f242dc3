#pragma once

#include "core/model/net_graph.h"

#include <memory>
#include <span>

namespace ulm {

/// Runs a network on OpenCV's DNN module: slower, but with more operators than ours. One run at a time.
class OpencvRunner {
public:
    /// unsupported: what our own runner could not do, for the error's text. channels: of the input, 0 to find out.
    /// Errors: Fault::Input where OpenCV cannot load the network or run it on a small picture.
    OpencvRunner(std::span<const std::byte> bytes, const std::string& file, const std::string& unsupported,
                 int channels = 0);
    ~OpencvRunner();

    int inputChannels() const { return channels_; }
    NetSize sizeFor(int rows, int columns) const;
    void run(const float* in, int rows, int columns, float* out) const;

private:
    struct Nets; ///< one a size: OpenCV's reader wants it known
    std::unique_ptr<Nets> nets_;
    std::string file_;
    int channels_ = 0;
};

} // namespace ulm
