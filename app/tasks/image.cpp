#include "app/tasks/image.h"

#include "core/engine/large_work.h"

namespace ulm::app {

namespace {

constexpr int kBand = 256; // rows

void drawInto(QImage& image, const Picture& p, int offset) {
    const auto code = [](float v) { return static_cast<unsigned>(std::min(std::max(v, 0.f), 1.f) * 255.f + 0.5f); };
    for (int y = 0; y < p.area.h; ++y) {
        auto* to = reinterpret_cast<QRgb*>(image.scanLine(y + offset));
        const float *r = p.planes[0].row(p.area.y + y), *g = p.planes[1].row(p.area.y + y),
                    *b = p.planes[2].row(p.area.y + y);
        for (int x = 0; x < p.area.w; ++x) to[x] = 0xff000000u | code(r[x]) << 16 | code(g[x]) << 8 | code(b[x]);
    }
}

} // namespace

QImage toImage(const Picture& p) {
    QImage image(p.area.w, p.area.h, QImage::Format_RGB32);
    drawInto(image, p, 0);
    return image;
}

QImage wholeImage(Engine& engine, const Stage& rgb, std::int64_t frame, const CancelToken& cancel, Engine::Keep keep) {
    const Rect whole = rgb.format().frame();
    const int rows = isLargeFrame(whole.w, whole.h) ? kBand : whole.h;
    QImage image(whole.w, whole.h, QImage::Format_RGB32);
    for (int y = 0; y < whole.h; y += rows)
        drawInto(image, engine.pull(rgb, frame, Rect{0, y, whole.w, rows}.intersected(whole), cancel, keep), y);
    return image;
}

} // namespace ulm::app
