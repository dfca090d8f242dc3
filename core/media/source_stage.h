#pragma once

#include "core/engine/stage.h"
#include "core/media/decoder.h"

namespace ulm {

/// The clip's pictures, upright (rotation honoured), in its own chroma subsampling and stored pixel shape; sample
/// aspect is made square by the scaling stage. Frames that could not be decoded show the one before.
class SourceStage : public Stage {
public:
    explicit SourceStage(std::shared_ptr<FrameReader> reader);
    const char* name() const override { return "source"; }
    std::int64_t frames() const override { return reader_->clip().frameCount(); }
    bool worthKeeping() const override { return false; } // the reader keeps frames in their own, smaller form
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t frame, std::span<const Picture>, Picture& out, const CancelToken&) const override;
    FrameReader& reader() const { return *reader_; }

private:
    std::shared_ptr<FrameReader> reader_;
    PictureFormat stored_; ///< before rotation
};

} // namespace ulm
