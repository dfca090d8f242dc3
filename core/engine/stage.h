#pragma once

#include "core/engine/cancel.h"
#include "core/picture/picture.h"

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace ulm {

/// Identity of a stage's output: a hash of its parameters and of its inputs' keys. Equal keys, equal pixels.
using Key = std::uint64_t;

class Stage;
using StagePtr = std::shared_ptr<const Stage>;

/// One region that a stage asks of one of its inputs.
struct Need {
    int input;          ///< index into Stage::inputs()
    std::int64_t frame; ///< [0, inputs()[input]->frames())
    Rect region;        ///< luma pixels of that input, inside its frame, not empty
};

/// Turns regions of its inputs into regions of its output. Stages are immutable and may be called from many threads.
class Stage {
public:
    virtual ~Stage() = default;

    const std::vector<StagePtr>& inputs() const { return inputs_; }
    const PictureFormat& format() const { return format_; }
    Key key() const { return key_; }
    virtual const char* name() const = 0;

    /// Number of frames that come out, > 0.
    virtual std::int64_t frames() const { return inputs_.front()->frames(); }
    /// Frames before and after that a result looks at.
    virtual int temporalRadius() const { return 0; }
    /// Luma pixels around a region that a result looks at; stages that change geometry override needs() instead.
    virtual int margin() const { return 0; }
    /// False for a stage that is cheaper to run again than to keep.
    virtual bool worthKeeping() const { return true; }

    /// What must be at hand to compute `region` (inside the frame) of `frame`. The default asks input 0 for the region
    /// grown by margin(), at every frame within temporalRadius(), both clipped to what exists, earliest frame first.
    virtual std::vector<Need> needs(std::int64_t frame, const Rect& region) const;

    /// What can be asked for only when needs() has been answered, by those answers: where a movement leads, for one.
    virtual std::vector<Need> moreNeeds(std::int64_t, const Rect&, std::span<const Picture>) const { return {}; }
    /// For estimates of memory: how many regions of input 0, each about where the result lies, moreNeeds() may ask for.
    virtual int laterNeeds() const { return 0; }
    /// For estimates of memory: bytes that compute() takes for a region, beside what it reads and writes.
    virtual std::int64_t workBytes(const Rect&) const { return 0; }

    /// Writes every sample of `out` (its area is the region asked for). `in` answers needs(), then moreNeeds(), one by
    /// one; each picture's area is the region asked for. Must give the same samples whatever the region, up to rounding
    /// of float.
    virtual void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const = 0;

protected:
    Stage(std::vector<StagePtr> inputs, const PictureFormat& format, Key key)
        : inputs_(std::move(inputs)), format_(format), key_(key) {}

private:
    std::vector<StagePtr> inputs_;
    PictureFormat format_;
    Key key_;
};

/// Builds keys: feed it the stage's name, parameters and inputs.
class KeyMaker {
public:
    explicit KeyMaker(const char* name);
    KeyMaker& add(const void* bytes, std::size_t count);
    KeyMaker& add(const std::string& text);
    KeyMaker& add(double v) { return add(&v, sizeof v); }
    KeyMaker& add(std::int64_t v) { return add(&v, sizeof v); }
    KeyMaker& add(int v) { return add(static_cast<std::int64_t>(v)); }
    KeyMaker& add(const StagePtr& input) { return add(static_cast<std::int64_t>(input->key())); }
    operator Key() const { return key_; }

private:
    Key key_ = 0;
};

} // namespace ulm
