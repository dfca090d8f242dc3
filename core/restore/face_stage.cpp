#include "core/restore/face_stage.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr std::int64_t kNearFrames = 15;
constexpr float kKept = 0.5f;

class FaceStage : public Stage {
public:
    FaceStage(StagePtr treated, StagePtr original, std::vector<TimedBox> boxes, double scale)
        : Stage({treated, original}, treated->format(), keyOf(treated, original, boxes, scale)),
          boxes_(std::move(boxes)), scale_(scale) {}
    const char* name() const override { return "faces"; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        const Rect inside = reachOf(boxesAt(frame)).intersected(region);
        if (inside.empty()) return {{0, frame, region}};
        return {{0, frame, region}, {1, frame, inside}};
    }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        const std::vector<Rect> boxes = boxesAt(frame);
        for (int c = 0; c < 3; ++c) {
            copySamples(in[0].planes[c], out.planes[c]);
            if (in.size() < 2) continue;
            const int sw = c ? format().subW : 0, sh = c ? format().subH : 0;
            const Rect r = in[1].planes[c].area().intersected(out.planes[c].area());
            for (int y = r.y; y < r.bottom(); ++y) {
                const float* b = in[1].planes[c].row(y) + (r.x - in[1].planes[c].area().x);
                float* to = out.planes[c].row(y) + (r.x - out.planes[c].area().x);
                for (int x = 0; x < r.w; ++x)
                    to[x] += kKept * weightAt(boxes, float((r.x + x) << sw), float(y << sh)) * (b[x] - to[x]);
            }
        }
    }

private:
    static constexpr float kReach = 1.5f; // of a box's half sides: there the last of it has faded out

    static Key keyOf(const StagePtr& treated, const StagePtr& original, const std::vector<TimedBox>& boxes,
                     double scale) {
        KeyMaker key("faces");
        key.add(treated).add(original).add(scale);
        for (const TimedBox& f : boxes) key.add(f.frame).add(f.box.x).add(f.box.y).add(f.box.w).add(f.box.h);
        return key;
    }
    std::vector<Rect> boxesAt(std::int64_t frame) const {
        std::vector<Rect> boxes = facesNear(boxes_, frame);
        for (Rect& b : boxes) b = {int(b.x * scale_), int(b.y * scale_), int(b.w * scale_), int(b.h * scale_)};
        return boxes;
    }
    static Rect reachOf(const std::vector<Rect>& boxes) {
        Rect all;
        for (const Rect& b : boxes)
            all = all.united({b.x - b.w / 4 - 2, b.y - b.h / 4 - 2, b.w + b.w / 2 + 4, b.h + b.h / 2 + 4});
        return all;
    }
    // 1 inside the ellipse in the box, down to 0 at one and a half times its size.
    static float weightAt(const std::vector<Rect>& boxes, float x, float y) {
        float most = 0;
        for (const Rect& b : boxes) {
            const float dx = (x - float(b.x) - b.w / 2.f) / std::max(1.f, b.w / 2.f),
                        dy = (y - float(b.y) - b.h / 2.f) / std::max(1.f, b.h / 2.f);
            most = std::max(most, std::clamp((kReach - std::sqrt(dx * dx + dy * dy)) / 0.5f, 0.f, 1.f));
        }
        return most;
    }

    std::vector<TimedBox> boxes_;
    double scale_;
};

} // namespace

std::vector<Rect> facesNear(const std::vector<TimedBox>& faces, std::int64_t frame) {
    std::int64_t nearest = kNearFrames + 1;
    for (const TimedBox& f : faces) nearest = std::min(nearest, std::abs(f.frame - frame));
    std::vector<Rect> boxes;
    for (const TimedBox& f : faces)
        if (std::abs(f.frame - frame) == nearest && nearest <= kNearFrames) boxes.push_back(f.box);
    return boxes;
}

StagePtr gentlerOnFaces(StagePtr treated, StagePtr original, std::vector<TimedBox> faces, double scale) {
    if (faces.empty() || treated == original) return treated;
    return std::make_shared<FaceStage>(treated, original, std::move(faces), scale);
}

} // namespace ulm
