#include "benchmarks/damaged_pictures.h"

#include "core/media/frame_convert.h"
#include "core/media/source_stage.h"
#include "core/picture/gaussian.h"
#include "demo/damage.h"

#include <algorithm>
#include <cmath>
#include <random>
#include <sstream>

namespace ulm::bench {
namespace {

template <class F>
void eachSample(Plane& p, const F& f) {
    for (int y = p.area().y; y < p.area().bottom(); ++y)
        for (int x = 0; x < p.area().w; ++x) p.row(y)[x] = f(p.row(y)[x], x, y);
}

void toCodes(Picture& p) { // as an 8-bit file holds it
    eachSample(p.planes[0],
               [](float v, int, int) { return std::round(std::clamp(v, -16 / 219.f, 239 / 219.f) * 219) / 219; });
}

Plane blurred(const Plane& p, double sigma) {
    Plane out = Plane::make(p.area());
    gaussianBlur(p, p.area(), sigma, out);
    return out;
}

// Every n-th sample, repeated n times.
Picture stepped(const Picture& in, double n) {
    Picture p = copyOf(in);
    const int k = static_cast<int>(n);
    eachSample(p.planes[0], [&](float, int x, int y) { return in.planes[0].at(x / k * k, y / k * k); });
    return p;
}

} // namespace

Picture frameOf(const std::string& path, std::int64_t n) {
    const auto reader = std::make_shared<FrameReader>(Clip::openVideo(path), PacketDecoder::Threads::Single, 1 << 20);
    const SourceStage source(reader);
    Picture p = Picture::make(source.format(), source.format().frame());
    source.compute(n, {}, p, {});
    return p;
}

Picture copyOf(const Picture& p) {
    Picture c = p;
    for (Plane& plane : c.planes) plane = plane.copy();
    return c;
}

Picture blocky(const Picture& in, double quantiser) {
    PictureFormat f = in.format;
    f.subW = f.subH = 1;
    f.width &= ~15, f.height &= ~15;
    Picture even = Picture::make(f, f.frame());
    copySamples(in.planes[0], even.planes[0]);
    for (int c : {1, 2})
        eachSample(even.planes[c], [&](float, int x, int y) {
            const Plane& from = in.planes[c];
            return from.at(std::min((x << 1) >> in.format.subW, from.area().w - 1),
                           std::min((y << 1) >> in.format.subH, from.area().h - 1));
        });
    demo::BlockyTrip trip(f.width, f.height, static_cast<int>(quantiser));
    Picture out = Picture::make(f, f.frame());
    toPicture(*trip.through(*toFrame(even, AV_PIX_FMT_YUV420P)), out);
    return out;
}

Picture noisyFrame(const Picture& in, double sigma, unsigned frame) {
    Picture p = copyOf(in);
    std::mt19937 random(7 + frame);
    std::normal_distribution<float> d(0, static_cast<float>(sigma / 219));
    eachSample(p.planes[0], [&](float v, int, int) { return v + d(random); });
    toCodes(p);
    return p;
}

Picture noisy(const Picture& in, double sigma) { return noisyFrame(in, sigma, 0); }

Picture colourNoisy(const Picture& in, double sigma) {
    Picture p = copyOf(in);
    std::mt19937 random(9);
    std::normal_distribution<float> d(0, static_cast<float>(sigma / 224));
    for (int c : {1, 2}) eachSample(p.planes[c], [&](float v, int, int) { return v + d(random); });
    return p;
}

Picture soft(const Picture& in, double sigma) {
    Picture p = copyOf(in);
    p.planes[0] = blurred(in.planes[0], sigma);
    return p;
}

// Gibbs' oscillations beside every edge, as a sharp cut in the spectrum makes them (sinc of 33 taps, no window, at 0.45
// of it): what the cut adds where the picture itself was calm, so many times.
Picture ringing(const Picture& in, double times) {
    constexpr double share = 0.45;
    Picture p = copyOf(in);
    const auto sinc = [&](int i) { return i == 0 ? share : std::sin(M_PI * share * i) / (M_PI * i); };
    Plane across = Plane::make(in.planes[0].area());
    const auto filter = [&](const Plane& from, Plane& to, bool row) {
        eachSample(to, [&](float, int x, int y) {
            double sum = 0, weight = 0;
            for (int i = -16; i <= 16; ++i) {
                const int at = std::clamp((row ? x : y) + i, 0, (row ? from.area().w : from.area().h) - 1);
                sum += sinc(i) * (row ? from.at(at, y) : from.at(x, at)), weight += sinc(i);
            }
            return float(sum / weight);
        });
    };
    filter(in.planes[0], across, true);
    filter(across, p.planes[0], false);
    const Plane calm = blurred(in.planes[0], 1.2);
    eachSample(p.planes[0], [&](float v, int x, int y) {
        const float was = in.planes[0].at(x, y), soft = calm.at(x, y);
        return was + float(times) * (v - was) * std::exp(-std::abs(was - soft) * 219 / 4); // edges and texture stay
    });
    toCodes(p);
    return p;
}

Picture haloed(const Picture& in, double amount) {
    Picture p = copyOf(in);
    const Plane b = blurred(in.planes[0], 2.2);
    eachSample(p.planes[0], [&](float v, int x, int y) { return v + float(amount) * (v - b.at(x + b.area().x, y)); });
    toCodes(p);
    return p;
}

// The edge's ramp mixed with its full staircase.
Picture steppedShare(const Picture& in, double share) {
    Picture p = copyOf(in);
    const Picture hard = stepped(in, 2);
    eachSample(p.planes[0], [&](float v, int x, int y) { return v + float(share) * (hard.planes[0].at(x, y) - v); });
    toCodes(p);
    return p;
}

Picture fewer(const Picture& in, double step) {
    Picture p = copyOf(in);
    p.planes[0] = blurred(in.planes[0], 3); // banding lies in smooth pictures
    eachSample(p.planes[0], [&](float v, int, int) { return float(std::round(v * 219 / step) * step / 219); });
    return p;
}

Picture crushed(const Picture& in, double offset) {
    Picture p = copyOf(in);
    eachSample(p.planes[0], [&](float v, int, int) { return std::max(0.f, v - float(offset)); });
    toCodes(p);
    return p;
}

Picture dimmed(const Picture& in, double gain) {
    Picture p = copyOf(in);
    eachSample(p.planes[0], [&](float v, int, int) { return v * float(gain); });
    return p;
}

Picture brighter(const Picture& in, double steps) {
    Picture p = copyOf(in);
    eachSample(p.planes[0], [&](float v, int, int) { return std::clamp(v + float(steps / 219), 0.f, 1.f); });
    return p;
}

Picture opened(const Picture& in, int radius) {
    const auto extreme = [radius](const Plane& from, bool least) {
        Plane to = from.copy();
        eachSample(to, [&](float v, int x, int y) {
            for (int j = -radius; j <= radius; ++j)
                for (int i = -radius; i <= radius; ++i) {
                    const float s =
                        from.at(std::clamp(x + i, 0, from.area().w - 1), std::clamp(y + j, 0, from.area().h - 1));
                    v = least ? std::min(v, s) : std::max(v, s);
                }
            return v;
        });
        return to;
    };
    Picture p = copyOf(in);
    p.planes[0] = extreme(extreme(in.planes[0], true), false);
    return p;
}

double meanLevel(const Plane& p) {
    double sum = 0;
    for (int y = p.area().y; y < p.area().bottom(); ++y)
        for (int x = 0; x < p.area().w; ++x) sum += p.row(y)[x];
    return 219 * sum / double(p.area().pixels());
}

std::string figure(double v) {
    std::ostringstream s;
    s.setf(std::ios::fixed);
    s.precision(std::abs(v) < 10 ? 2 : 1);
    s << v;
    return s.str();
}

Picture clipped(const Picture& in, double gain) {
    Picture p = copyOf(in);
    eachSample(p.planes[0], [&](float v, int, int) { return std::min(1.f, v * float(gain)); });
    toCodes(p);
    return p;
}

Picture tinted(const Picture& in, double steps) {
    Picture p = copyOf(in);
    eachSample(p.planes[1], [&](float v, int, int) { return v - float(steps / 224) * 0.7f; });
    eachSample(p.planes[2], [&](float v, int, int) { return v + float(steps / 224) * 0.7f; });
    return p;
}

// Second field of a moment later: the picture shifted sideways by `pixels`.
Picture combed(const Picture& in, double pixels) {
    Picture p = copyOf(in);
    const int by = static_cast<int>(pixels);
    eachSample(p.planes[0], [&](float v, int x, int y) { return y % 2 ? in.planes[0].at(std::max(0, x - by), y) : v; });
    return p;
}

// Lines thrown away and interpolated again: what an enlarged clip is.
Picture fewerLines(const Picture& in, double share) {
    Picture p = copyOf(in);
    PictureFormat grey = in.format;
    const auto scaled = [&](const Picture& from, int w, int h) {
        PictureFormat f = grey;
        f.width = w, f.height = h;
        Picture out = Picture::make(f, f.frame());
        // Cubic kernel (Catmull-Rom), widened when shrinking.
        const double kx = double(from.format.width) / w, ky = double(from.format.height) / h;
        const auto kernel = [](double t) {
            t = std::abs(t);
            return t < 1 ? 1.5 * t * t * t - 2.5 * t * t + 1 : t < 2 ? -0.5 * t * t * t + 2.5 * t * t - 4 * t + 2 : 0.0;
        };
        Plane middle = Plane::make({0, 0, w, from.format.height});
        const auto resample = [&](const Plane& a, Plane& b, double k, int most, bool across) {
            const double wide = std::max(1.0, k);
            for (int y = 0; y < b.area().h; ++y)
                for (int x = 0; x < b.area().w; ++x) {
                    const double at = ((across ? x : y) + 0.5) * k - 0.5;
                    double sum = 0, weight = 0;
                    for (int i = int(std::floor(at - 2 * wide)); i <= int(std::ceil(at + 2 * wide)); ++i) {
                        const double u = kernel((i - at) / wide);
                        const int j = std::clamp(i, 0, most - 1);
                        sum += u * (across ? a.at(j, y) : a.at(x, j)), weight += u;
                    }
                    b.row(y)[x] = float(sum / weight);
                }
        };
        resample(from.planes[0], middle, kx, from.format.width, true);
        resample(middle, out.planes[0], ky, from.format.height, false);
        return out;
    };
    const Picture small = scaled(in, int(in.format.width * share) & ~1, int(in.format.height * share) & ~1);
    p.planes[0] = scaled(small, in.format.width, in.format.height).planes[0];
    toCodes(p);
    return p;
}

std::vector<KnownPicture> subjects(const std::string& demoFolder, const std::string& picturesFolder) {
    std::vector<KnownPicture> all;
    for (const auto& [name, kind] :
         {std::pair{"wheel", "scene"}, {"shelf", "scene, text"}, {"hands", "scene, skin"}, {"ident", "line art"}})
        all.push_back({name, kind, frameOf(demoFolder + "/masters/" + name + ".mp4", 60)});
    for (const char* name : {"fruits.jpg", "building.jpg", "home.jpg", "messi5.jpg", "graf1.png", "leuvenA.jpg",
                             "butterfly.jpg", "baboon.jpg"})
        all.push_back({name, "photograph", frameOf(picturesFolder + "/" + name, 0)});
    return all;
}

} // namespace ulm::bench
