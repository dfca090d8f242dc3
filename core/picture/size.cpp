#include "core/picture/size.h"

#include <charconv>
#include <numeric>

namespace ulm {
namespace {

std::optional<Size> parsePair(const std::string& text, const std::string& separator) {
    const auto at = text.find(separator);
    if (at == std::string::npos) return std::nullopt;
    Size s;
    const char *a = text.data(), *end = a + text.size(), *b = a + at + separator.size();
    if (std::from_chars(a, a + at, s.w).ptr != a + at || std::from_chars(b, end, s.h).ptr != end) return std::nullopt;
    if (s.w <= 0 || s.h <= 0 || s.w > 100000 || s.h > 100000) return std::nullopt;
    return s;
}

} // namespace

std::optional<Size> parseAspect(const std::string& text) { return parsePair(text, ":"); }

std::optional<Size> parseSize(const std::string& text) {
    if (auto s = parsePair(text, "x")) return s;
    return parsePair(text, "×");
}

std::string sizeText(Size s) { return std::to_string(s.w) + "×" + std::to_string(s.h); }

std::string aspectText(Size s) {
    const int g = std::max(1, std::gcd(s.w, s.h));
    return std::to_string(s.w / g) + ":" + std::to_string(s.h / g);
}

} // namespace ulm
