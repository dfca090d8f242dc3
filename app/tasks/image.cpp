#include "app/tasks/image.h"

namespace ulm::app {

QImage toImage(const Picture& p) {
    QImage image(p.area.w, p.area.h, QImage::Format_RGB32);
    const auto code = [](float v) { return static_cast<unsigned>(std::min(std::max(v, 0.f), 1.f) * 255.f + 0.5f); };
    for (int y = 0; y < p.area.h; ++y) {
        auto* to = reinterpret_cast<QRgb*>(image.scanLine(y));
        const float *r = p.planes[0].row(p.area.y + y), *g = p.planes[1].row(p.area.y + y),
                    *b = p.planes[2].row(p.area.y + y);
        for (int x = 0; x < p.area.w; ++x) to[x] = 0xff000000u | code(r[x]) << 16 | code(g[x]) << 8 | code(b[x]);
    }
    return image;
}

} // namespace ulm::app
