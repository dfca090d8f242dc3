#include "core/base/words.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace ulm {
namespace {

// Optimal string alignment distance.
std::size_t distance(const std::string& a, const std::string& b) {
    std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
    for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
    for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i)
        for (std::size_t j = 1; j <= b.size(); ++j) {
            d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1])
                d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
        }
    return d[a.size()][b.size()];
}

} // namespace

std::string nearWord(const std::string& word, const std::vector<std::string>& known) {
    std::string best;
    std::size_t least = std::max<std::size_t>(1, std::min<std::size_t>(word.size(), 64) / 3) + 1;
    if (word.size() > 64) return best;
    for (const std::string& k : known)
        if (const std::size_t d = distance(word, k); d < least) best = k, least = d;
    if (!best.empty()) return best;
    const std::string end = "." + word.substr(word.find_last_of('.') + 1);
    const auto endsSo = [&](const std::string& k) { return k.ends_with(end); };
    return std::ranges::count_if(known, endsSo) == 1 ? *std::ranges::find_if(known, endsSo) : "";
}

std::string didYouMean(const std::string& word, const std::vector<std::string>& known) {
    const std::string near = nearWord(word, known);
    return near.empty() ? "" : " Did you mean " + near + "?";
}

std::string capitalised(std::string text) {
    if (!text.empty() && text[0] >= 'a' && text[0] <= 'z') text[0] = static_cast<char>(text[0] - 'a' + 'A');
    return text;
}

std::optional<double> takeNumber(std::string_view& text, char end) {
    double v = 0;
    const auto [stop, failed] = std::from_chars(text.data(), text.data() + text.size(), v);
    if (failed != std::errc() || !std::isfinite(v)) return {};
    text.remove_prefix(std::size_t(stop - text.data()));
    if (end == 0) return text.empty() ? std::optional(v) : std::nullopt;
    if (text.empty() || text[0] != end) return {};
    text.remove_prefix(1);
    return v;
}

std::string listed(const std::vector<std::string>& words) {
    std::string all;
    for (const std::string& w : words) all += (all.empty() ? "" : ", ") + w;
    return all;
}

std::optional<double> parseTime(const std::string& text) {
    double seconds = 0;
    const char *p = text.data(), *end = p + text.size();
    for (int part = 0; part < 3; ++part) {
        double v = 0;
        const auto r = std::from_chars(p, end, v, std::chars_format::fixed);
        if (r.ec != std::errc() || !(v >= 0) || std::isinf(v)) return std::nullopt;
        if (part > 0 && v >= 60) return std::nullopt;
        seconds = seconds * 60 + v;
        if (r.ptr == end) return seconds;
        if (*r.ptr != ':' || v != std::floor(v)) return std::nullopt;
        p = r.ptr + 1;
    }
    return std::nullopt;
}

std::optional<std::pair<double, double>> parseSpan(const std::string& text) {
    const auto dash = text.find('-');
    if (dash == text.npos) return std::nullopt;
    const auto from = parseTime(text.substr(0, dash)), to = parseTime(text.substr(dash + 1));
    if (!from || !to || *from < 0 || *to > 1e6) return std::nullopt;
    return std::pair(*from, *to);
}

} // namespace ulm
