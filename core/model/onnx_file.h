#pragma once

#include "core/model/net_graph.h"

#include <span>
#include <stdexcept>
#include <string>

namespace ulm {

/// Thrown for a network that is well formed but holds an operator (or a form of one) that NetGraph cannot say; OpenCV
/// may still run it.
struct UnsupportedNet : std::runtime_error {
    using std::runtime_error::runtime_error;
};

inline constexpr std::int64_t kMostNetBytes = 256'000'000; ///< of a file

/// Reads an ONNX file (protobuf, opset 7 … 17) with one picture in and one out. The file is taken as hostile: sizes,
/// references, cycles and numbers are checked, nothing is allocated on its word alone.
/// Errors: Fault::Input naming `file` and the node; UnsupportedNet.
NetGraph readOnnx(std::span<const std::byte> bytes, const std::string& file);

/// The same file with its input's size written into it, which OpenCV's reader needs. The bytes must parse as ONNX.
std::string withInputSize(std::span<const std::byte> bytes, int channels, int rows, int columns);

} // namespace ulm
