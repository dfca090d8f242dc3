#pragma once

#include "core/engine/stage.h"
#include "core/picture/resample.h"

#include <functional>

namespace ulm {

/// Which part of the input fills the output, in input luma pixels (edges, fractional), and how large the output is.
struct ScaleWindow {
    double x = 0, y = 0, w = 0, h = 0;
    int width = 0, height = 0;
};

/// The window of each frame. All fill outputs of one size.
struct WindowPath {
    ScaleWindow still;                                 ///< of every frame, where `at` is null
    std::function<ScaleWindow(std::int64_t frame)> at; ///< null: they do not move
    Key key = 0;                                       ///< identity of `at`
    explicit WindowPath(const ScaleWindow& w) : still(w) {}
    /// first: the window of some frame; its width and height are those of all.
    WindowPath(const ScaleWindow& first, Key k, std::function<ScaleWindow(std::int64_t)> f)
        : still(first), at(std::move(f)), key(k) {}
    ScaleWindow operator()(std::int64_t frame) const { return at ? at(frame) : still; }
};

/// Scales, crops and resamples chroma in one pass by zimg: the window of the input becomes the whole output. The output
/// may have another chroma subsampling and siting. Nothing outside the input is invented: edges are mirrored.
class ResampleStage : public Stage {
public:
    ResampleStage(StagePtr input, const WindowPath& windows, Kernel kernel, const PictureFormat& output);
    /// One window for all frames.
    ResampleStage(StagePtr input, const ScaleWindow& window, Kernel kernel, const PictureFormat& output)
        : ResampleStage(std::move(input), WindowPath(window), kernel, output) {}
    const char* name() const override { return "scale"; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override;
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override;
    /// One plane alone, for a stage that makes others another way.
    void computePlane(int plane, std::int64_t frame, const Picture& in, Picture& out) const;

private:
    struct PlaneMaps {
        AxisMap h, v;
    };
    PlaneMaps mapsFor(int plane, std::int64_t frame) const;

    WindowPath windows_;
    Kernel kernel_;
};

/// The same size and window, other chroma subsampling or siting; returns `input` where nothing would change.
StagePtr withChroma(StagePtr input, int subW, int subH, int chromaSite);

} // namespace ulm
