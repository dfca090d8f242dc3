#include "core/inspect/things.h"

#include "core/inspect/small_rgb.h"
#include "core/model/dnn_runner.h"
#include "core/model/onnx_file.h"

#include <algorithm>
#include <cmath>
#include <opencv2/dnn.hpp>
#include <span>

// The network's file is built in, so that nothing is searched for at run time.
asm(".section .rodata\n.balign 16\nulm_thing_network:\n.incbin \"" THING_NETWORK
    "\"\nulm_thing_network_end:\n.byte 0\n.previous\n");
extern "C" {
extern const char ulm_thing_network[], ulm_thing_network_end[];
}

namespace ulm {
namespace {

constexpr int kKinds = 80, kCell = 4, kStep = 32; // the network's: a cell's side, and what its sides are multiples of
constexpr float kSure = 0.15f, kSame = 0.5f;      // blurred animals reach no more; overlap from which two are one

Being beingOf(int kind) {
    constexpr int kPerson = 0, kBird = 14, kGiraffe = 23, kToyBear = 77; // an animal without its surroundings, often
    if (kind == kPerson) return Being::Person;
    return (kind >= kBird && kind <= kGiraffe) || kind == kToyBear ? Being::Animal : Being::Thing;
}

// What the network looks at: about the shape of the picture, always about as much to do.
cv::Size lookedAt(const Rect& r) {
    constexpr double kPixels = 416 * 256;
    const auto side = [](double v) { return std::clamp(int(std::lround(v / kStep)), 3, 26) * kStep; };
    const double shape = double(r.w) / r.h;
    return {side(std::sqrt(kPixels * shape)), side(std::sqrt(kPixels / shape))};
}

} // namespace

std::vector<Thing> findThings(const Picture& p, std::int64_t frame) {
    const Rect all = p.planes[0].area();
    if (all.w < 40 || all.h < 40) return {};
    static const DnnRunner network(
        readOnnx(std::as_bytes(std::span(ulm_thing_network, ulm_thing_network_end)), "things.onnx"), "things.onnx");
    const cv::Size size = lookedAt(all);
    const cv::Mat in = cv::dnn::blobFromImage(smallRgb(p, all, size), 255);
    const int w = size.width / kCell, h = size.height / kCell;
    std::vector<float> out((kKinds + 4) * std::size_t(w) * std::size_t(h));
    network.run(in.ptr<float>(), size.height, size.width, out.data());
    std::vector<cv::Rect> boxes;
    std::vector<float> scores;
    std::vector<int> kinds;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            int kind = 0;
            const auto sureOf = [&](int k) { return out[std::size_t((k * h + y) * w + x)]; };
            for (int k = 1; k < kKinds; ++k)
                if (sureOf(k) > sureOf(kind)) kind = k;
            if (!(sureOf(kind) >= kSure)) continue;
            const auto side = [&](int s) { return sureOf(kKinds + s); };
            const double sx = double(all.w) / size.width, sy = double(all.h) / size.height;
            const auto left = std::lround((float(kCell * x) - side(0)) * sx),
                       top = std::lround((float(kCell * y) - side(1)) * sy);
            const auto wide = std::lround((side(0) + side(2)) * sx), high = std::lround((side(1) + side(3)) * sy);
            if (wide < 1 || high < 1 || wide > 2 * all.w || high > 2 * all.h) continue;
            boxes.emplace_back(all.x + int(left), all.y + int(top), int(wide), int(high));
            scores.push_back(sureOf(kind));
            kinds.push_back(kind);
        }
    std::vector<int> kept;
    cv::dnn::NMSBoxes(boxes, scores, kSure, kSame, kept);
    std::vector<Thing> found;
    for (const int k : kept) {
        const cv::Rect& b = boxes[std::size_t(k)];
        const Rect box = Rect{b.x, b.y, b.width, b.height}.intersected(all);
        if (!box.empty()) found.push_back({{frame, box, scores[std::size_t(k)]}, beingOf(kinds[std::size_t(k)])});
    }
    for (Thing& t : found) {
        const Rect& box = t.mark.box;
        if (t.being != Being::Animal || 3 * box.w < all.w) continue;
        if (const auto head = findHead(p, box))
            t.head = {float(head->x + head->w / 2 - box.x) / float(box.w),
                      float(head->y + head->h / 2 - box.y) / float(box.h)};
    }
    return found;
}

} // namespace ulm
