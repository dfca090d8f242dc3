#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace ulm {

/// The operators that compact restoration networks are made of.
enum class NetOp {
    Conv,
    ConvTranspose,
    Prelu,     ///< slope a channel, or one
    LeakyRelu, ///< alpha
    Clip,      ///< to [low, high]; Relu is Clip to [0, inf)
    Sigmoid,
    Tanh,
    Add,
    Sub,
    Mul,
    Concat,       ///< of channels
    Channels,     ///< a run of channels: what Slice and Split become
    DepthToSpace, ///< pixel shuffle
    SpaceToDepth,
    Resize,
    Pad,     ///< of rows and columns
    Average, ///< of each channel's whole picture: one pixel
};

enum class ResizeKind { Nearest, Linear, Cubic };
enum class PadKind { Zero, Mirror, Edge };

/// One step: reads values, writes one. A value is a float picture of some channels; 0 is the network's input.
struct NetNode {
    NetOp op;
    std::string name; ///< for errors
    /// Values. For Add, Sub, Mul an operand of -1 is the constant `weights` (see below), and one of one pixel stands
    /// for a picture that is the same everywhere.
    std::vector<int> in;
    int out = 0;
    int channels = 0; ///< of the result

    /// Conv: [channels][input channels / groups][kernel]; ConvTranspose: [input channels][channels / groups][kernel];
    /// Prelu, Add, Sub, Mul: one number, or one a channel.
    std::vector<float> weights;
    std::vector<float> bias; ///< one a channel, or none
    std::array<int, 2> kernel{1, 1}, stride{1, 1}, dilation{1, 1}, outputPadding{0, 0};
    std::array<int, 4> pads{0, 0, 0, 0}; ///< top, left, bottom, right
    int groups = 1;
    float alpha = 0, low = 0, high = 0;
    int first = 0;             ///< Channels: the first one taken
    int block = 1;             ///< DepthToSpace, SpaceToDepth
    bool columnsFirst = false; ///< DepthToSpace in ONNX's CRD order (as pixel shuffle), else DCR
    ResizeKind resize = ResizeKind::Nearest;
    enum class Place { HalfPixel, Asymmetric, AlignCorners } place = Place::HalfPixel;
    bool nearestFloor = false; ///< Resize: floor, else round half down
    float cubicA = -0.75f;
    std::array<float, 2> factor{1, 1}; ///< Resize: of rows, of columns
    PadKind pad = PadKind::Zero;
};

/// A network as a list of steps in an order they can run in. Made by readOnnx(), which checks everything it holds.
struct NetGraph {
    int inputChannels = 0;
    int values = 1;
    int result = 0; ///< the value that is the network's output
    std::vector<NetNode> nodes;
    std::vector<std::pair<std::string, std::string>> notes; ///< the file's metadata

    std::string note(const std::string& name) const {
        for (const auto& [key, text] : notes)
            if (key == name) return text;
        return {};
    }
};

/// Size of a value, in rows and columns.
struct NetSize {
    int channels = 0, rows = 0, columns = 0;
    std::int64_t count() const { return std::int64_t(channels) * rows * columns; }
    bool operator==(const NetSize&) const = default;
};

/// Sizes of all values for an input of this size. Errors: Fault::Input where a step would get sizes that do not fit
/// together or a result without pixels; `file` names the network.
std::vector<NetSize> sizesFor(const NetGraph&, int rows, int columns, const std::string& file);

} // namespace ulm
