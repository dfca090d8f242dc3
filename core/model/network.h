#pragma once

#include "core/model/dnn_runner.h"
#include "core/picture/rect.h"

#include <filesystem>
#include <string>

namespace ulm {

/// Where a network runs, and in which arithmetic. On the graphics processor it is always f32; `precision` counts for
/// networks that cannot run there, and once that has failed.
struct Arithmetic {
    NetPrecision precision = NetPrecision::F32;
    bool onGraphics = false;
    Arithmetic(NetPrecision p = NetPrecision::F32, bool graphics = false) : precision(p), onGraphics(graphics) {}
    auto operator<=>(const Arithmetic&) const = default;
};

/// A network ready to run: one picture in, one out. Immutable; may be used from many threads.
/// Ours say in their metadata what they want besides luma: neighbouring frames and damage levels (docs/networks.md).
class Network {
public:
    /// Errors: Fault::Input naming `file`: unreadable, damaged, hostile, or with an operator that neither our runner
    /// nor OpenCV's has (the operator and its node are named).
    static std::shared_ptr<const Network> fromBytes(std::span<const std::byte> bytes, const std::string& file,
                                                    Arithmetic arithmetic = {});
    static std::shared_ptr<const Network> open(const std::filesystem::path& file, Arithmetic arithmetic = {});
    /// Between two networks of one shape, weight by weight: 0 the first, 1 the second. Networks of which one was
    /// trained on from the other make sensible ones between (Wang et al., "Deep Network Interpolation", 2019). Errors:
    /// Fault::Input naming `file` where they are not of one shape.
    static std::shared_ptr<const Network> between(std::span<const std::byte> first, std::span<const std::byte> second,
                                                  double share, const std::string& file, Arithmetic arithmetic = {});
    virtual ~Network() = default;

    const std::string& file() const { return file_; }
    std::uint64_t hash() const { return hash_; } ///< of the file's bytes and the arithmetic, for keys
    int inputChannels() const { return inputs_; }
    int outputChannels() const { return outputs_; }
    /// Result pixels per input pixel, the same for rows and columns: [1/16, 16], a whole number or one over it.
    double scale() const { return scale_; }
    /// Input pixels around a result that it may look at.
    int margin() const { return margin_; }
    /// Rows and columns of an input, and its place in the frame, are multiples of this.
    int align() const { return align_; }
    /// Frames it takes (this, -1, +1, -2, +2 …) and constant planes of damage levels after them; 1 and 0 for a network
    /// that says nothing.
    int frames() const { return frames_; }
    int levels() const { return levels_; }
    std::string note(const std::string& key) const;
    /// The arithmetic used on the processor.
    NetPrecision precision() const { return precision_; }
    /// Whether it runs on the graphics processor, as long as that does not fail.
    virtual bool isOnGraphics() const { return false; }
    /// Our own runner runs it, not OpenCV's.
    virtual bool isFast() const = 0;

    /// in: inputChannels() × rows × columns; out: outputChannels() × scale()·rows × scale()·columns. Rows and columns
    /// are positive multiples of align(), and more than twice margin(); results nearer to the edge than margin() are
    /// not to be used.
    virtual void run(const float* in, int rows, int columns, float* out) const = 0;
    /// The same with each pixel's channels side by side: rows × columns × inputChannels(), and as much of the result.
    virtual void runInterleaved(const float* in, int rows, int columns, float* out) const;

protected:
    Network() = default;
    void describe(const std::string& file, std::span<const std::byte> bytes);

    std::string file_;
    std::uint64_t hash_ = 0;
    NetPrecision precision_ = NetPrecision::F32;
    int inputs_ = 1, outputs_ = 1, margin_ = 0, align_ = 1, frames_ = 1, levels_ = 0;
    double scale_ = 1;
    std::vector<std::pair<std::string, std::string>> notes_;
};

} // namespace ulm
