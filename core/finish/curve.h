#pragma once

#include <string>
#include <vector>

namespace ulm {

/// A place that a tone curve goes through: what becomes of a tone, both of the signal, [0, 1].
struct CurvePoint {
    double from = 0, to = 0;
};

/// "0:0 25:20 100:100": tones in percent of the signal and what becomes of them, from dark to bright; 2 to 16 places.
/// What is wrong with such a text, or nothing; curveFrom() reads one that is right. Empty: no curve.
std::string curveWrong(const std::string& text);
std::vector<CurvePoint> curveFrom(const std::string& text);
/// The text of these, to a tenth of a percent; empty where they change nothing.
std::string curveText(const std::vector<CurvePoint>&);

/// A smooth curve through places: a cubic from each to the next that does not overshoot them (Fritsch & Carlson,
/// "Monotone piecewise cubic interpolation", SIAM J. Numer. Anal. 1980). Level beyond the outermost ones within [0, 1];
/// below 0 and above 1 its slope is 1.
class ToneCurve {
public:
    ToneCurve() = default;
    explicit ToneCurve(std::vector<CurvePoint> points);
    double operator()(double signal) const;

private:
    std::vector<CurvePoint> points_;
    std::vector<double> slopes_;
};

} // namespace ulm
