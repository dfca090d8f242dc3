// What in-betweens are made by, place by place: against plain references in double precision.
#include "core/motion/between_field.h"
#include "core/motion/between_guess.h"
#include "core/motion/between_order.h"
#include "core/motion/between_passing.h"
#include "core/motion/field.h"
#include "core/picture/hash_noise.h"
#include "core/picture/opencv_view.h"
#include "core/picture/sampling.h"

#include <algorithm>
#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <opencv2/imgproc.hpp>

using namespace ulm;

namespace {

// [-1, 1], another one for each `what`.
double dice(int x, int y, std::uint32_t what) { return hashNoise(std::uint32_t(x), std::uint32_t(y), 77, what); }

cv::Mat noise(int w, int h, double size, std::uint32_t what) {
    cv::Mat m(h, w, CV_32F);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) m.at<float>(y, x) = float(size * dice(x, y, what));
    return m;
}

Plane planeOf(const cv::Mat& m, int x = 0, int y = 0) {
    Plane p = Plane::make({x, y, m.cols, m.rows});
    cv::Mat view = viewOf(p);
    m.copyTo(view);
    return p;
}

// Keys' cubic convolution at 1/32 of a pixel, the rim repeated.
double cubicAt(const cv::Mat& m, double x, double y) {
    const auto keys = [](double t) {
        constexpr double a = -0.75;
        t = std::abs(t);
        return t <= 1   ? (a + 2) * t * t * t - (a + 3) * t * t + 1
               : t <= 2 ? a * t * t * t - 5 * a * t * t + 8 * a * t - 4 * a
                        : 0;
    };
    double sum = 0;
    const int ix = int(std::floor(x)), iy = int(std::floor(y));
    for (int j = iy - 1; j <= iy + 2; ++j)
        for (int i = ix - 1; i <= ix + 2; ++i)
            sum += keys(x - i) * keys(y - j) * m.at<float>(std::clamp(j, 0, m.rows - 1), std::clamp(i, 0, m.cols - 1));
    return sum;
}

double phased(double v) { return std::lrint(v * 32) / 32.0; }

double bilinear(const cv::Mat& four, double x, double y, int channel) {
    const double cx = std::clamp(x, 0.0, double(four.cols - 1)), cy = std::clamp(y, 0.0, double(four.rows - 1));
    const int ix = int(cx), iy = int(cy), jx = std::min(ix + 1, four.cols - 1), jy = std::min(iy + 1, four.rows - 1);
    const auto at = [&](int j, int i) { return double(four.at<cv::Vec4f>(j, i)[channel]); };
    const double upper = at(iy, ix) + (cx - ix) * (at(iy, jx) - at(iy, ix)),
                 lower = at(jy, ix) + (cx - ix) * (at(jy, jx) - at(jy, ix));
    return upper + (cy - iy) * (lower - upper);
}

BetweenSide sideOf(int w, int h, std::uint32_t what) {
    const cv::Mat parts[] = {100 * (1 + noise(w, h, 1, what)), noise(w, h, 5, what + 1), noise(w, h, 5, what + 2),
                             cv::Mat::zeros(h, w, CV_32F)};
    BetweenSide s;
    cv::merge(parts, 4, s.seen);
    return s;
}

cv::Mat pathOf(int w, int h, double size, std::uint32_t what) {
    const cv::Mat parts[] = {noise(w, h, size, what), noise(w, h, size, what + 1)};
    cv::Mat path;
    cv::merge(parts, 2, path);
    return path;
}

} // namespace

TEST_CASE("moved samples are those of cubic convolution, wherever paths lead, and only shares count", "[between]") {
    for (const auto& [w, h] : {std::pair{3, 3}, {5, 40}, {61, 9}, {200, 30}}) {
        const cv::Mat there = noise(w, h, 0.5, 1);
        const Plane plane = planeOf(there, 10, 20);
        // Not at all, hardly, neighbours together, nearby, and beyond all rims.
        for (const auto& [far, together] :
             {std::pair{0.0, 0.0}, {0.01, 0.0}, {0.2, 1.8}, {0.2, -1.8}, {2.5, 0.0}, {300.0, 0.0}}) {
            const Rect area{10 + w / 5, 20 + h / 5, w - w / 5, h - h / 5};
            const cv::Mat dx = noise(area.w, area.h, far, 2) + together, dy = noise(area.w, area.h, far, 3) + together;
            cv::Mat share = noise(area.w, area.h, 1, 4), sum = noise(area.w, area.h, 1, 5);
            share.setTo(0, share < -0.3);
            const cv::Mat before = sum.clone();
            addMoved(plane, area, dx, dy, {0.5f, 0.75f}, 250, share, sum);
            const cv::Mat alone = moved(plane, area, dx, dy, 250);
            double worst = 0, worstAlone = 0;
            for (int y = 0; y < area.h; ++y)
                for (int x = 0; x < area.w; ++x) {
                    const auto along = [&](double scaleX, double scaleY) {
                        return cubicAt(
                            there, x + area.x - 10 + phased(std::clamp(scaleX * dx.at<float>(y, x), -250.0, 250.0)),
                            y + area.y - 20 + phased(std::clamp(scaleY * dy.at<float>(y, x), -250.0, 250.0)));
                    };
                    const double wanted = before.at<float>(y, x) + share.at<float>(y, x) * along(0.5, 0.75);
                    worst = std::max(worst, std::abs(sum.at<float>(y, x) - wanted));
                    worstAlone = std::max(worstAlone, std::abs(alone.at<float>(y, x) - along(1, 1)));
                }
            INFO(w << "×" << h << ", paths of " << far << " about " << together);
            CHECK(worst < 2e-6);
            CHECK(worstAlone < 2e-6);
            if (far == 0) // as they are
                CHECK(cv::norm(alone, there(cv::Rect(w / 5, h / 5, area.w, area.h)), cv::NORM_INF) == 0);
        }
    }
}

TEST_CASE("samples along straight lines are those of cubic convolution, and a part's are the whole's", "[between]") {
    const cv::Mat there = noise(90, 40, 0.5, 1);
    const Plane plane = planeOf(there, 10, 20);
    for (const Affine& from : {Affine{}, Affine::turning(7), Affine::moving(0.3, -2.7).then(Affine::turning(-90)),
                               Affine::scaling(0.8, 1.1).then(Affine::moving(5, 900))}) {
        Plane all = Plane::make({4, 11, 100, 60}), part = Plane::make({33, 29, 20, 9});
        sampled(plane, from, all);
        sampled(plane, from, part);
        double worst = 0;
        int unlike = 0;
        for (int y = 11; y < 71; ++y)
            for (int x = 4; x < 104; ++x) {
                const Point p = from({x + 0.5, y + 0.5});
                const double wanted = cubicAt(there, phased(p.x - 0.5) - 10, phased(p.y - 0.5) - 20);
                worst = std::max(worst, std::abs(all.at(x, y) - wanted));
                if (x >= 33 && x < 53 && y >= 29 && y < 38) unlike += std::abs(part.at(x, y) - all.at(x, y)) > 1e-6;
            }
        CHECK(worst < 2e-6);
        CHECK(unlike == 0);
    }
}

TEST_CASE("a side knows by how much its flow misses there and back, and how little it is to be trusted", "[between]") {
    for (const int w : {1, 2, 7, 16, 45}) {
        const int h = 6;
        const std::array luma{cv::Mat(100 * (1 + noise(w, h, 1, 10))), cv::Mat(100 * (1 + noise(w, h, 1, 20)))},
            flow{pathOf(w, h, 4, 30), pathOf(w, h, 4, 40)};
        const std::array sides = sidesOf(luma[0], luma[1], {flow[0], flow[1]}, 3);
        for (const std::size_t n : {0u, 1u}) {
            cv::Mat unlike(h, w, CV_32F), gap(h, w, CV_32F);
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    const cv::Vec2f u = flow[n].at<cv::Vec2f>(y, x);
                    double there[3];
                    for (int c = 0; c < 3; ++c) there[c] = bilinear(sides[1 - n].seen, x + u[0], y + u[1], c);
                    unlike.at<float>(y, x) = float(std::abs(luma[n].at<float>(y, x) - there[0]));
                    gap.at<float>(y, x) = float(std::hypot(u[0] + there[1], u[1] + there[2]));
                }
            cv::blur(unlike, unlike, {3, 3});
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    INFO("width " << w << ", side " << n << ", at " << x << ", " << y);
                    const cv::Vec4f s = sides[n].seen.at<cv::Vec4f>(y, x);
                    REQUIRE(s[0] == luma[n].at<float>(y, x));
                    REQUIRE(cv::Vec2f(s[1], s[2]) == flow[n].at<cv::Vec2f>(y, x));
                    REQUIRE(sides[n].gap.at<float>(y, x) == Approx(gap.at<float>(y, x)).margin(2e-3));
                    REQUIRE(s[3] == Approx(gap.at<float>(y, x) + unlike.at<float>(y, x)).margin(4e-3));
                }
        }
    }
}

TEST_CASE("a place takes what crosses it and is trusted most; holes that of the other side, or its own", "[between]") {
    for (const auto& [w, h] : {std::pair{1, 1}, {2, 5}, {40, 24}}) {
        std::array<BetweenSide, 2> sides{sideOf(w, h, 10), sideOf(w, h, 20)};
        for (const std::size_t n : {0u, 1u})
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x)
                    sides[n].seen.at<cv::Vec4f>(y, x)[3] = float(5 + 5 * dice(x, y, 90 + std::uint32_t(n)));
        sides[0].seen.at<cv::Vec4f>(h / 2, w / 2)[1] = std::numeric_limits<float>::quiet_NaN(); // leads nowhere
        const float part = 0.3f;
        std::array<std::vector<const cv::Vec4f*>, 2> best; // what crosses each place
        for (const std::size_t n : {0u, 1u}) {
            best[n].resize(std::size_t(w * h));
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    const cv::Vec4f& s = sides[n].seen.at<cv::Vec4f>(y, x);
                    const float share = n ? 1 - part : part, px = float(x) + share * s[1], py = float(y) + share * s[2];
                    for (int j = 0; j < h; ++j)
                        for (int i = 0; i < w; ++i) {
                            const cv::Vec4f*& kept = best[n][std::size_t(j * w + i)];
                            const float fx = std::floor(px), fy = std::floor(py);
                            const bool crosses =
                                float(i) >= fx && float(i) <= fx + 1 && float(j) >= fy && float(j) <= fy + 1;
                            if (crosses && (!kept || s[3] < (*kept)[3])) kept = &s;
                        }
                }
        }
        const std::array paths = passing(sides[0], sides[1], part);
        int holes = 0;
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x)
                for (const std::size_t n : {0u, 1u}) {
                    const std::size_t at = std::size_t(y * w + x);
                    holes += !best[n][at];
                    const std::size_t by = best[n][at] ? n : best[1 - n][at] ? 1 - n : n;
                    const cv::Vec4f& s = best[by][at] ? *best[by][at] : sides[n].seen.at<cv::Vec4f>(y, x);
                    const float sign = by ? -1 : 1;
                    INFO(w << "×" << h << ", side " << n << ", at " << x << ", " << y);
                    const cv::Vec2f path = paths[n].at<cv::Vec2f>(y, x);
                    REQUIRE((path == cv::Vec2f(sign * s[1], sign * s[2]) || std::isnan(s[1])));
                }
        if (w == 40) CHECK(holes > 40); // there were some to be filled
    }
}

TEST_CASE("guesses are weighed by how alike both sides are and how well their flows agree", "[between]") {
    for (const int w : {1, 2, 7, 16, 45}) {
        const int h = 6;
        const BetweenSide a = sideOf(w, h, 10), b = sideOf(w, h, 20);
        const float part = 0.3f;
        const cv::Mat path = pathOf(w, h, 4, 30);
        const BetweenGuess g = weighed(path, a, b, part, 1);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const cv::Vec2f u = path.at<cv::Vec2f>(y, x);
                double p[3], q[3];
                for (int c = 0; c < 3; ++c) {
                    p[c] = bilinear(a.seen, x - part * u[0], y - part * u[1], c);
                    q[c] = bilinear(b.seen, x + (1 - part) * u[0], y + (1 - part) * u[1], c);
                }
                const double gapA = std::hypot(p[1] - u[0], p[2] - u[1]), gapB = std::hypot(q[1] + u[0], q[2] + u[1]);
                const double seenA = (1 - part) * std::pow(4 / (4 + gapA), 2),
                             seenB = part * std::pow(4 / (4 + gapB), 2);
                INFO("width " << w << ", at " << x << ", " << y);
                REQUIRE(g.unlike.at<float>(y, x) == Approx(std::abs(p[0] - q[0])).margin(2e-3));
                REQUIRE(g.cost.at<float>(y, x) ==
                        Approx(std::abs(p[0] - q[0]) + 0.5 * std::min({gapA, gapB, 8.0})).margin(2e-3));
                REQUIRE(g.shareA.at<float>(y, x) == Approx(seenA / (seenA + seenB)).margin(1e-4));
            }
    }
}

TEST_CASE("a place takes its best guesses by their cost; those that say the same are one", "[between]") {
    for (const int w : {1, 5, 16, 37})
        for (const std::size_t layers : {1u, 2u, 3u}) {
            const int h = 4;
            std::vector<BetweenGuess> guesses;
            for (std::uint32_t i = 0; i < 7; ++i) {
                BetweenGuess g{pathOf(w, h, 3, 40 + 2 * i), 12 * (1 + noise(w, h, 1, 60 + i)), {}, {}};
                g.unlike = 0.8 * g.cost;
                g.shareA = 0.5 + noise(w, h, 0.5, 70 + i);
                guesses.push_back(g);
            }
            guesses[5].path = guesses[2].path.clone(); // says what another says
            BetweenField field;
            field.layers.resize(layers);
            for (BetweenLayer& l : field.layers)
                for (cv::Mat* m : {&l.dx, &l.dy, &l.shareA, &l.shareB}) m->create(h, w, CV_32F);
            field.doubt.create(h, w, CV_32F);
            cv::Mat gap(h, w, CV_32F);
            choose(guesses, field, gap);
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    std::vector<const BetweenGuess*> best;
                    for (const BetweenGuess& g : guesses) best.push_back(&g);
                    const auto cost = [&](const BetweenGuess* g) { return double(g->cost.at<float>(y, x)); };
                    const auto path = [&](std::size_t k) { return best[k]->path.at<cv::Vec2f>(y, x); };
                    std::ranges::stable_sort(best, {}, cost);
                    std::vector<double> weight;
                    for (std::size_t k = 0; k < layers; ++k)
                        weight.push_back(std::exp((cost(best[0]) - cost(best[k])) / 8));
                    double sum = 0;
                    for (const double v : weight) sum += v;
                    for (std::size_t k = 1; k < layers; ++k)
                        if (cv::norm(path(k) - path(0)) <= 1.0 / 16 || weight[k] <= 0.1 * sum)
                            weight[0] += weight[k], weight[k] = 0;
                    INFO("width " << w << ", " << layers << " layers, at " << x << ", " << y);
                    REQUIRE(gap.at<float>(y, x) == Approx(0.4 * cost(best[0])).margin(1e-3));
                    REQUIRE(field.doubt.at<float>(y, x) == Approx(0.8 * cost(best[0])).margin(1e-3));
                    for (std::size_t k = 0; k < layers; ++k) {
                        const BetweenLayer& l = field.layers[k];
                        const double a = best[k]->shareA.at<float>(y, x), v = weight[k] / sum;
                        REQUIRE(l.shareA.at<float>(y, x) == Approx(v * a).margin(1e-5));
                        REQUIRE(l.shareB.at<float>(y, x) == Approx(v * (1 - a)).margin(1e-5));
                        REQUIRE(l.dx.at<float>(y, x) == path(v > 0 ? k : 0)[0]);
                        REQUIRE(l.dy.at<float>(y, x) == path(v > 0 ? k : 0)[1]);
                    }
                }
        }
}

TEST_CASE("a part of a spread field is that part of the whole, which is OpenCV's; an empty one is known", "[between]") {
    for (const auto& [w, h, factor] : {std::tuple{1, 1, 2}, {23, 7, 2}, {40, 12, 4}, {70, 9, 1}}) {
        const Plane field = planeOf(noise(w, h, 9, 80), 0, 50); // one below others
        cv::Mat whole;
        cv::resize(viewOf(field), whole, {}, factor, factor, cv::INTER_LINEAR);
        for (const Rect& part :
             {Rect{0, 0, w * factor, h * factor}, Rect{w / 2, h / 2, w * factor - w / 2, h * factor - h / 2}}) {
            const cv::Mat spread = Spread({w, h}, part, factor, factor)(field);
            CHECK(cv::norm(spread, whole(cv::Rect(part.x, part.y, part.w, part.h)), cv::NORM_INF) < 1e-5);
        }
    }
    // Shrunk, neighbours come from far apart.
    const cv::Mat wide = noise(96, 8, 9, 81);
    cv::Mat shrunk;
    cv::resize(wide, shrunk, {48, 4}, 0, 0, cv::INTER_LINEAR);
    CHECK(cv::norm(Spread({96, 8}, {0, 0, 48, 4}, 0.5, 0.5)(planeOf(wide)), shrunk, cv::NORM_INF) < 1e-5);
    Plane empty = planeOf(cv::Mat::zeros(12, 40, CV_32F));
    empty.row(7)[30] = 1;
    CHECK_FALSE(Spread({40, 12}, {100, 20, 60, 28}, 4, 4).isZero(empty));
    CHECK(Spread({40, 12}, {0, 0, 100, 48}, 4, 4).isZero(empty));
    CHECK(Spread({40, 12}, {0, 0, 160, 24}, 4, 4).isZero(empty));
}

TEST_CASE("pictures that are somewhat unlike are mixed, but not where a cut was found between them", "[between]") {
    const cv::Mat a = 100 * (1 + 0.5 * noise(64, 48, 1, 3)), nothing = cv::Mat::zeros(48, 64, CV_32FC2);
    const auto held = [&](double unlike, bool maybeCut) {
        cv::Mat b = a.clone();
        for (int y = 0; y < b.rows; ++y) // as bright as the other
            for (int x = 0; x < b.cols; ++x) b.at<float>(y, x) += float((x / 3 + y / 3) % 2 ? unlike : -unlike);
        return betweenField(a, b, {{nothing, nothing}}, {.part = 0.4, .maybeCut = maybeCut}, {}).held;
    };
    CHECK_FALSE(held(11, false));
    CHECK(held(11, true));
    CHECK_FALSE(held(5, true)); // the cut was told falsely
}

namespace {

// A field in which nothing counts yet.
BetweenField fieldOf(int w, int h, std::size_t layers) {
    BetweenField f;
    f.layers.resize(layers);
    for (BetweenLayer& l : f.layers)
        for (cv::Mat* m : {&l.dx, &l.dy, &l.shareA, &l.shareB}) *m = cv::Mat::zeros(h, w, CV_32F);
    f.doubt = cv::Mat::zeros(h, w, CV_32F);
    return f;
}

void put(BetweenField& f, std::size_t layer, int x, int y, float u, float share) {
    BetweenLayer& l = f.layers[layer];
    l.dx.at<float>(y, x) = u, l.dy.at<float>(y, x) = -u;
    l.shareA.at<float>(y, x) = 0.25f * share, l.shareB.at<float>(y, x) = 0.75f * share;
}

float shareAt(const BetweenLayer& l, int x, int y) { return l.shareA.at<float>(y, x) + l.shareB.at<float>(y, x); }

// By how much the paths of neighbouring places lead apart, to the right and below, as far as both count.
double leaps(const BetweenField& f) {
    double sum = 0;
    for (const BetweenLayer& l : f.layers)
        for (int y = 0; y < l.dx.rows; ++y)
            for (int x = 0; x < l.dx.cols; ++x)
                for (const auto& [i, j] : {std::pair{x + 1, y}, std::pair{x, y + 1}})
                    if (i < l.dx.cols && j < l.dx.rows)
                        sum += std::min(shareAt(l, x, y), shareAt(l, i, j)) *
                               std::abs(l.dx.at<float>(y, x) - l.dx.at<float>(j, i));
    return sum;
}

} // namespace

TEST_CASE("a layer goes on from place to place, and nothing that is shown at a place changes", "[between]") {
    SECTION("two paths whose order changes here and there") {
        BetweenField f = fieldOf(24, 10, 2);
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 24; ++x) {
                const bool swapped = dice(x, y, 1) > 0;
                put(f, swapped, x, y, 6, 0.7f), put(f, !swapped, x, y, -3, 0.3f);
            }
        REQUIRE(leaps(f) > 100);
        orderLayers(f);
        CHECK(leaps(f) == 0);
        for (const BetweenLayer& l : f.layers)
            CHECK(cv::norm(l.dx, cv::Mat(10, 24, CV_32F, l.dx.at<float>(0, 0)), cv::NORM_INF) == 0);
    }
    SECTION("one thing beside another: they come to lie in two layers, which go on beyond their border") {
        BetweenField f = fieldOf(16, 6, 2);
        for (int y = 0; y < 6; ++y)
            for (int x = 0; x < 16; ++x) put(f, 0, x, y, x < 8 ? 5 : -9, 1), put(f, 1, x, y, x < 8 ? 5 : -9, 0);
        orderLayers(f);
        CHECK(leaps(f) == 0);
        for (int y = 0; y < 6; ++y) {
            CHECK(shareAt(f.layers[0], 7, y) == 1);
            CHECK(shareAt(f.layers[1], 8, y) == 1);
            CHECK(f.layers[0].dx.at<float>(y, 8) == 5); // does not count there, but goes on
            CHECK(f.layers[1].dx.at<float>(y, 7) == -9);
        }
    }
    SECTION("anything, of two and of three layers") {
        const std::size_t layers = GENERATE(2, 3);
        BetweenField f = fieldOf(30, 20, layers);
        for (int y = 0; y < 20; ++y)
            for (int x = 0; x < 30; ++x)
                for (std::size_t k = 0; k < layers; ++k)
                    put(f, k, x, y, float(8 * dice(x / 4, y / 4, std::uint32_t(k))),
                        float(std::max(0.0, dice(x, y, std::uint32_t(10 + k)))));
        const auto counted = [&](int x, int y) { // what a place shows, whatever its layers are
            std::vector<std::array<float, 4>> all;
            for (const BetweenLayer& l : f.layers)
                if (shareAt(l, x, y) > 0)
                    all.push_back({l.dx.at<float>(y, x), l.dy.at<float>(y, x), l.shareA.at<float>(y, x),
                                   l.shareB.at<float>(y, x)});
            std::ranges::sort(all);
            return all;
        };
        std::vector<std::vector<std::array<float, 4>>> before;
        for (int y = 0; y < 20; ++y)
            for (int x = 0; x < 30; ++x) before.push_back(counted(x, y));
        const double were = leaps(f);
        orderLayers(f);
        CHECK(leaps(f) < were);
        for (int y = 0; y < 20; ++y)
            for (int x = 0; x < 30; ++x) REQUIRE(counted(x, y) == before[std::size_t(y * 30 + x)]);
    }
}
