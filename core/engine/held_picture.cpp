#include "core/engine/held_picture.h"

#include <atomic>

namespace ulm {
namespace {

// No two held pictures are taken for the same one.
Key nextKey() {
    static std::atomic<std::int64_t> count{0};
    return KeyMaker("held").add(++count);
}

class HeldPicture : public Stage {
public:
    explicit HeldPicture(Picture p) : Stage({}, p.format, nextKey()), picture_(std::move(p)) {}
    const char* name() const override { return "held"; }
    std::int64_t frames() const override { return 1; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (std::size_t c = 0; c < 3; ++c) copySamples(picture_.planes[c], out.planes[c]);
    }

private:
    Picture picture_;
};

} // namespace

StagePtr heldPicture(Picture picture) { return std::make_shared<HeldPicture>(std::move(picture)); }

} // namespace ulm
