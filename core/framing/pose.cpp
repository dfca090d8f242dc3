#include "core/framing/pose.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

constexpr int kLeastPart = 16;

bool near(double a, double b) { return std::abs(a - b) < 1e-9; }

} // namespace

bool Pose::cutsOnly() const {
    return !at && near(still.a, 1) && near(still.e, 1) && near(still.b, 0) && near(still.d, 0);
}

Pose poseOf(Size clip, const PoseWish& wish) {
    Rect part = wish.part.intersected({0, 0, clip.w, clip.h});
    if (part.w < kLeastPart || part.h < kLeastPart) part = {0, 0, clip.w, clip.h};
    Pose p;
    p.clip = clip;
    double w = part.w, h = part.h;
    p.still = Affine::moving(-part.x, -part.y);
    if (wish.mirrored) p.still = p.still.then({-1, 0, w, 0, 1, 0});
    switch (wish.turn) {
    case 90: p.still = p.still.then({0, -1, h, 1, 0, 0}); break;
    case 180: p.still = p.still.then({-1, 0, w, 0, -1, h}); break;
    case 270: p.still = p.still.then({0, 1, 0, -1, 0, w}); break;
    default: break;
    }
    if (wish.turn % 180) std::swap(w, h);
    if (wish.degrees != 0) {
        // The largest picture of the same shape that lies wholly inside the turned one.
        const double r = std::abs(wish.degrees) * M_PI / 180, c = std::cos(r), s = std::sin(r);
        const double keep = std::min(w / (w * c + h * s), h / (w * s + h * c));
        const double kw = 2 * std::floor(w * keep / 2), kh = 2 * std::floor(h * keep / 2);
        p.still = p.still.then(Affine::moving(-w / 2, -h / 2))
                      .then(Affine::turning(wish.degrees))
                      .then(Affine::moving(kw / 2, kh / 2));
        w = kw, h = kh;
    }
    p.width = int(w), p.height = int(h);
    return p;
}

StagePtr posed(StagePtr clip, const Pose& pose) {
    const PictureFormat& f = clip->format();
    const double kx = double(f.width) / pose.clip.w, ky = double(f.height) / pose.clip.h;
    const bool lies = std::abs(pose.still.b) > std::abs(pose.still.a); // sides have changed places
    const int width = std::max(1, int(std::lround(pose.width * (lies ? ky : kx)))),
              height = std::max(1, int(std::lround(pose.height * (lies ? kx : ky))));
    const auto back = [=, held = pose.size()](const Affine& m) {
        return Affine::scaling(double(held.w) / width, double(held.h) / height)
            .then(m.inverse())
            .then(Affine::scaling(kx, ky));
    };
    Warp w;
    w.still = back(pose.still);
    w.key = pose.key;
    if (pose.at) w.at = [back, at = pose.at](std::int64_t frame) { return back(at(frame)); };
    return warped(std::move(clip), width, height, w);
}

} // namespace ulm
