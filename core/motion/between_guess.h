#pragma once

#include <array>
#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

struct BetweenField;
struct FlowPair;

/// A side of a pair of pictures: of each place its luma (8-bit codes), its flow to the other side, and how little that
/// is to be trusted (8-bit steps and pixels), together (CV_32FC4); and by how many pixels it misses where it started
/// when it goes there and back.
struct BetweenSide {
    cv::Mat seen, gap;
};

/// Both sides, from their luma (CV_32F) and flows (CV_32FC2), all of one size. A flow is the less to be trusted the
/// further it misses, and the more unlike what it joins is, over `patch` pixels.
std::array<BetweenSide, 2> sidesOf(const cv::Mat& a, const cv::Mat& b, const FlowPair&, int patch);

/// A guess of what moves through each place at an instant.
struct BetweenGuess {
    cv::Mat path;   ///< from A to B, CV_32FC2
    cv::Mat cost;   ///< 8-bit steps: how little is to be said for it
    cv::Mat unlike; ///< of that: how unlike A and B are along it, over `patch` pixels
    cv::Mat shareA; ///< how far A is seen there; B: the rest
};

/// part: the instant, between 0 at A and 1 at B.
BetweenGuess weighed(const cv::Mat& path, const BetweenSide& a, const BetweenSide& b, float part, int patch);

/// The best of 1 to 8 guesses of each place, as many as the field has layers, by weights that fall with their cost;
/// its doubt: how unlike both are along the least unlike one. gap: by how many pixels the flow at the best is at odds
/// with itself. All of one size.
void choose(const std::vector<BetweenGuess>& guesses, BetweenField& field, cv::Mat& gap);

} // namespace ulm
