#include "core/ticket/between_places.h"

#include "core/base/words.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <array>
#include <sstream>

namespace ulm {
namespace {

constexpr std::size_t kMostPlaces = 100;
constexpr double kTouch = 1e-3;
constexpr std::array kWays{BetweenWay::Rebuild, BetweenWay::Blend, BetweenWay::Hold};

// The places, or what is wrong with them.
std::string readPlaces(const std::string& text, std::vector<BetweenPlace>& places) {
    std::istringstream words(text);
    for (std::string word; words >> word;) {
        const auto colon = word.rfind(':');
        const auto span = parseSpan(word.substr(0, colon));
        if (!span || colon == word.npos) return "must be FROM-TO:WAY …, such as 0.5-1.2:hold 0:03-0:04:blend";
        const auto [from, to] = *span;
        const auto way = std::ranges::find(kWays, word.substr(colon + 1), wordOf);
        if (way == kWays.end()) return "must say rebuild, blend or hold of each place";
        if (to <= from) return "must have places that end later than they begin";
        if (!places.empty() && from < places.back().to - 1e-9)
            return "must have places in order of time that do not overlap";
        if (places.size() == kMostPlaces) return "must not have more than 100 places";
        places.push_back({from, to, *way});
    }
    return "";
}

} // namespace

std::string wordOf(BetweenWay way) {
    return way == BetweenWay::Rebuild ? "rebuild" : way == BetweenWay::Blend ? "blend" : "hold";
}

std::string betweenPlacesWrong(const std::string& text) {
    std::vector<BetweenPlace> places;
    return readPlaces(text, places);
}

std::vector<BetweenPlace> betweenPlacesFrom(const std::string& text) {
    std::vector<BetweenPlace> places;
    readPlaces(text, places);
    return places;
}

std::string withPlace(const std::vector<BetweenPlace>& places, double from, double to,
                      std::optional<BetweenWay> added) {
    std::vector<BetweenPlace> all;
    for (const BetweenPlace& p : places) { // what reaches beyond the new one stays there
        all.push_back({p.from, std::min(p.to, from), p.way});
        all.push_back({std::max(p.from, to), p.to, p.way});
    }
    if (added) all.push_back({from, to, *added});
    std::erase_if(all, [](const BetweenPlace& p) { return p.to - p.from < kTouch; });
    std::ranges::sort(all, {}, &BetweenPlace::from);
    if (all.size() > kMostPlaces) all.resize(kMostPlaces);
    std::string text;
    for (const BetweenPlace& p : all)
        text += (text.empty() ? "" : " ") + shortNumber(p.from, 3) + "-" + shortNumber(p.to, 3) + ":" + wordOf(p.way);
    return text;
}

} // namespace ulm
