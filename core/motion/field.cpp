#include "core/motion/field.h"

#include "core/picture/opencv_view.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <vector>

namespace ulm {

PictureFormat reduced(const PictureFormat& f, int divisor) {
    PictureFormat r = f;
    r.width = std::max(1, (f.width + divisor - 1) / divisor);
    r.height = std::max(1, (f.height + divisor - 1) / divisor);
    r.subW = r.subH = 0;
    return r;
}

cv::Mat reducedLuma(const Plane& luma, int w, int h) {
    cv::Mat small, codes;
    cv::resize(viewOf(luma), small, cv::Size(w, h), 0, 0, cv::INTER_AREA);
    small.convertTo(codes, CV_32F, 219, 16);
    return codes;
}

cv::Mat spreadField(const Plane& p, const Rect& to, double across, double down) {
    struct Tap {
        int a, b;
        float share; // of b
    };
    const auto tapOf = [](int at, int size, double factor) {
        const float h = std::clamp(static_cast<float>((at + 0.5) / factor - 0.5), 0.f, float(size - 1));
        const int i = std::min(static_cast<int>(h), size - 1);
        return Tap{i, std::min(i + 1, size - 1), h - float(i)};
    };
    std::vector<Tap> columns;
    for (int x = to.x; x < to.right(); ++x) columns.push_back(tapOf(x, p.area().w, across));
    cv::Mat out(to.h, to.w, CV_32F);
    std::vector<float> line(static_cast<std::size_t>(p.area().w));
    for (int y = 0; y < to.h; ++y) {
        const Tap t = tapOf(to.y + y, p.area().h, down);
        const float *top = p.row(p.area().y + t.a), *low = p.row(p.area().y + t.b);
        const int from = columns.front().a, past = columns.back().b + 1;
        for (int x = from; x < past; ++x) line[std::size_t(x)] = top[x] + t.share * (low[x] - top[x]);
        float* o = out.ptr<float>(y);
        for (int x = 0; x < to.w; ++x) {
            const Tap& c = columns[std::size_t(x)];
            o[x] = line[std::size_t(c.a)] + c.share * (line[std::size_t(c.b)] - line[std::size_t(c.a)]);
        }
    }
    return out;
}

cv::Mat shrunkField(const cv::Mat& field, const Rect& luma, const Rect& area, int plane, const PictureFormat& f) {
    if (plane == 0 || (f.subW == 0 && f.subH == 0)) return field;
    cv::Mat out(area.h, area.w, CV_32F);
    const int w = 1 << f.subW, h = 1 << f.subH;
    for (int y = 0; y < area.h; ++y)
        for (int x = 0; x < area.w; ++x) {
            float sum = 0;
            for (int j = 0; j < h; ++j)
                for (int i = 0; i < w; ++i)
                    sum += field.at<float>(std::min((area.y + y) * h + j - luma.y, luma.h - 1),
                                           std::min((area.x + x) * w + i - luma.x, luma.w - 1));
            out.at<float>(y, x) = sum / float(w * h);
        }
    return out;
}

} // namespace ulm
