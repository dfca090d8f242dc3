#pragma once

#include <opencv2/core.hpp>
#include <vector>

namespace ulm {

struct BetweenField;

/// A side of a pair of pictures: its luma (8-bit codes) and its flow to the other side, to be looked up together
/// (CV_32FC4, the last unused); how far each place misses where it started when it goes there and back; and how little
/// its flow is to be trusted.
struct BetweenSide {
    cv::Mat lumaAndFlow, gap, miss;
};

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
