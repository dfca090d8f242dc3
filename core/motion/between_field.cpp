#include "core/motion/between_field.h"

#include "core/motion/between_guess.h"
#include "core/motion/between_order.h"
#include "core/motion/between_passing.h"
#include "core/motion/between_whole.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

// Two pictures that do not belong together: unlike by so many steps along the best paths, while flows return to where
// they came from almost nowhere; where a cut was found, one of both is enough. Cuts of real takes leave 22 steps and
// 98 % astray and more, fast takes near the camera at most 5 steps (one of 22 takes: 18) and 80 %.
constexpr double kUnlike = 14, kUnlikeAtCut = 8, kAstray = 0.9, kAstrayFrom = 1.5;
// A flash: nearly all of the change is brightness.
constexpr double kFlash = 18, kFlashShare = 0.6;

// What is to be expected of an error: how unlike both are, and by how much the flow is at odds with itself where there
// is detail that it would shift. Against what was really filmed its 98th percentile in a frame has a rank correlation
// of 0.7 with the error's (six movies, 157 frames); of likeness alone 0.6.
void addFlowsDoubt(const cv::Mat& luma, const cv::Mat& gap, cv::Mat& doubt) {
    constexpr int kAround = 5;
    cv::Mat across, down, slope;
    cv::Sobel(luma, across, CV_32F, 1, 0, 3, 0.125);
    cv::Sobel(luma, down, CV_32F, 0, 1, 3, 0.125);
    cv::magnitude(across, down, slope); // 8-bit steps a pixel
    cv::blur(slope, slope, {kAround, kAround});
    cv::accumulateProduct(gap, slope, doubt);
}

// Whether the two do not belong together at all.
bool apart(const cv::Mat& a, const cv::Mat& b, const cv::Mat& doubt, const BetweenSide& sideA, const BetweenSide& sideB,
           bool maybeCut) {
    const auto astray = [](const cv::Mat& gap) {
        return double(cv::countNonZero(gap > kAstrayFrom)) / double(gap.total());
    };
    const double unlike = cv::mean(doubt)[0], lost = std::min(astray(sideA.gap), astray(sideB.gap));
    const double brighter = std::abs(cv::mean(a)[0] - cv::mean(b)[0]);
    if (unlike > kFlash && brighter > kFlashShare * cv::norm(a, b, cv::NORM_L1) / double(a.total())) return true;
    return maybeCut ? unlike > kUnlikeAtCut || lost > kAstray : unlike > kUnlike && lost > kAstray;
}

} // namespace

BetweenField betweenField(const cv::Mat& a, const cv::Mat& b, const std::vector<FlowPair>& flows,
                          const BetweenWish& wish, const CancelToken& cancel) {
    const auto part = static_cast<float>(wish.part);
    std::vector<cv::Mat> paths;
    BetweenSide sideA, sideB; // by the most trusted flow
    for (const FlowPair& f : flows) {
        cancel.check();
        const std::array<BetweenSide, 2> both = sidesOf(a, b, f, wish.patch);
        for (const cv::Mat& p : passing(both[0], both[1], part)) paths.push_back(p);
        if (&f != &flows.front()) continue;
        sideA = both[0], sideB = both[1];
        if (wish.inPlace) paths.push_back(f.ab), paths.push_back(-f.ba);
    }
    paths.push_back(cv::Mat::zeros(a.size(), CV_32FC2)); // a mark or a caption that lies still over what moves
    std::vector<BetweenGuess> guesses;
    for (const cv::Mat& p : paths) {
        cancel.check();
        guesses.push_back(weighed(p, sideA, sideB, part, wish.patch));
    }

    BetweenField field;
    field.layers.resize(std::clamp<std::size_t>(wish.layers, 1, 3));
    for (BetweenLayer& l : field.layers)
        for (cv::Mat* m : {&l.dx, &l.dy, &l.shareA, &l.shareB}) m->create(a.size(), CV_32F);
    field.doubt.create(a.size(), CV_32F);
    cv::Mat gap(a.size(), CV_32F); // pixels, of the best guess
    choose(guesses, field, gap);
    field.held = apart(a, b, field.doubt, sideA, sideB, wish.maybeCut);
    if (!field.held) {
        addFlowsDoubt(a, gap, field.doubt);
        orderLayers(field);
        field.mendable = field.doubt.clone();
        if (wish.whole) keepWhole(field, a, b, part, wish.fine);
    } else {
        field.doubt = 0; // nothing is made up
        field.mendable = field.doubt;
        for (BetweenLayer& l : field.layers) {
            const bool front = &l == &field.layers.front();
            l.dx = 0, l.dy = 0;
            l.shareA = front && part < 0.5f ? 1 : 0;
            l.shareB = front && part >= 0.5f ? 1 : 0;
        }
    }
    return field;
}

} // namespace ulm
