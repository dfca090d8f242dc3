#pragma once

#include "core/engine/stage.h"

namespace ulm {

/// A stage that treats luma by looking a fixed number of pixels around: subclasses write over the whole area they get,
/// and its middle is kept. Chroma passes through.
class LocalLumaStage : public Stage {
public:
    int margin() const override { return reach_; }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override;

protected:
    /// reach: pixels around a sample that treat() looks at.
    LocalLumaStage(StagePtr input, Key key, int reach) : Stage({input}, input->format(), key), reach_(reach) {}
    /// Returns a plane of the same area; samples nearer than `reach` to a border that is not the frame's may be wrong.
    virtual Plane treat(const Plane& luma, std::int64_t frame) const = 0;

private:
    int reach_;
};

} // namespace ulm
