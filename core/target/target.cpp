#include "core/target/target.h"

#include "core/base/error.h"
#include "core/base/json_file.h"
#include "core/base/words.h"
#include "core/target/shipped_cards.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <map>
#include <numeric>
#include <sstream>

namespace ulm {
namespace {
using nlohmann::json;
namespace fs = std::filesystem;

class CardReader {
public:
    CardReader(const json& j, const std::string& file) : j_(j), file_(file) {
        if (!j.is_object()) refuse("/", "a target card must be a JSON object");
    }
    [[noreturn]] void refuse(const std::string& where, const std::string& what) const {
        throw Error(Fault::Input, file_, "at " + where + ": " + what,
                    "Correct it there; docs/targets.md lists every key.");
    }
    std::string text(const char* key) const {
        if (!j_.contains(key)) return "";
        if (!j_[key].is_string()) refuse(std::string("/") + key, "must be a text");
        const auto s = j_[key].get<std::string>();
        if (s.size() > 200) refuse(std::string("/") + key, "is too long");
        return s;
    }
    double number(const char* key, double most) const {
        if (!j_.contains(key)) return 0;
        if (!j_[key].is_number()) refuse(std::string("/") + key, "must be a number");
        const double v = j_[key].get<double>();
        if (!(v > 0 && v <= most))
            refuse(std::string("/") + key,
                   "must lie above 0 and not beyond " + std::to_string(static_cast<long long>(most)));
        return v;
    }
    std::vector<std::string> texts(const char* key) const {
        std::vector<std::string> all;
        if (!j_.contains(key)) return all;
        if (!j_[key].is_array()) refuse(std::string("/") + key, "must be a list of texts");
        for (const auto& e : j_[key]) {
            if (!e.is_string()) refuse(std::string("/") + key, "must be a list of texts");
            all.push_back(e.get<std::string>());
        }
        return all;
    }

private:
    const json& j_;
    std::string file_;
};

std::string plain(double v, int decimals = 1) {
    std::ostringstream s;
    s.precision(decimals);
    s << std::fixed << v;
    std::string t = s.str();
    if (t.find('.') != std::string::npos) {
        while (t.back() == '0') t.pop_back();
        if (t.back() == '.') t.pop_back();
    }
    return t;
}

constexpr std::pair<const char*, double Target::Covered::*> kBorders[] = {{"top", &Target::Covered::top},
                                                                          {"bottom", &Target::Covered::bottom},
                                                                          {"left", &Target::Covered::left},
                                                                          {"right", &Target::Covered::right}};

// A shape fits where it is within one pixel of the aspect.
bool hasAspect(int w, int h, const Size& a) {
    return std::abs(double(w) * a.h / a.w - h) <= 1.01 || std::abs(double(h) * a.w / a.h - w) <= 1.01;
}

} // namespace

Target targetFromJson(const json& j, const std::string& file) {
    const CardReader r(j, file);
    Target t;
    t.file = file;
    t.name = r.text("name");
    if (t.name.empty() || t.name.size() > 60) r.refuse("/name", "missing: a target needs a short name");
    t.title = r.text("title").empty() ? t.name : r.text("title");
    if (const std::string s = r.text("size"); !s.empty()) {
        t.size = parseSize(s);
        if (!t.size || t.size->w > 8192 || t.size->h > 8192) r.refuse("/size", "must be WIDTHxHEIGHT up to 8192x8192");
    }
    for (const auto& a : r.texts("aspects")) {
        const auto s = parseAspect(a);
        if (!s) r.refuse("/aspects", "must hold shapes such as 9:16");
        t.aspects.push_back(*s);
    }
    t.maxWidth = static_cast<int>(r.number("max_width", 16384));
    t.maxHeight = static_cast<int>(r.number("max_height", 16384));
    t.maxLines = static_cast<int>(r.number("max_lines", 16384));
    t.maxFps = r.number("max_fps", 1000);
    t.maxSeconds = r.number("max_seconds", 1e6);
    t.maxMb = r.number("max_mb", 1e6);
    t.codecs = r.texts("codecs");
    for (std::string& c : t.codecs)
        if (c == "h265") c = "hevc"; // as files say it
    t.containers = r.texts("containers");
    if (j.contains("hdr")) {
        if (!j["hdr"].is_boolean()) r.refuse("/hdr", "must be true or false");
        t.hdr = j["hdr"].get<bool>();
    }
    if (j.contains("covered")) {
        if (!j["covered"].is_object()) r.refuse("/covered", "must hold top, bottom, left, right");
        const CardReader borders(j["covered"], file);
        for (const auto& [name, member] : kBorders)
            if (!j["covered"].contains(name) || j["covered"][name] != 0) t.covered.*member = borders.number(name, 45);
        for (const auto& [key, value] : j["covered"].items())
            if (std::ranges::none_of(kBorders, [&](const auto& b) { return key == b.first; }))
                t.unknown.push_back("the key covered." + key + " is not known; it is not used.");
    }
    if (j.contains("starts_at_once")) {
        if (!j["starts_at_once"].is_boolean()) r.refuse("/starts_at_once", "must be true or false");
        t.startsAtOnce = j["starts_at_once"].get<bool>();
    }
    static const std::vector<std::string> kKnown = {
        "name",        "title",  "size",   "aspects",    "max_width",      "max_height", "max_lines", "max_fps",
        "max_seconds", "max_mb", "codecs", "containers", "starts_at_once", "hdr",        "covered",
    };
    for (const auto& [key, value] : j.items())
        if (std::ranges::find(kKnown, key) == kKnown.end())
            t.unknown.push_back("the key " + key + " is not known; it is not used." + didYouMean(key, kKnown));
    return t;
}

json toJson(const Target& t) {
    json j = {{"name", t.name}, {"title", t.title}};
    if (t.size) j["size"] = std::to_string(t.size->w) + "x" + std::to_string(t.size->h);
    for (const Size& a : t.aspects) j["aspects"].push_back(aspectText(a));
    const std::pair<const char*, double> numbers[] = {{"max_width", t.maxWidth},     {"max_height", t.maxHeight},
                                                      {"max_lines", t.maxLines},     {"max_fps", t.maxFps},
                                                      {"max_seconds", t.maxSeconds}, {"max_mb", t.maxMb}};
    for (const auto& [k, v] : numbers)
        if (v > 0) j[k] = v;
    if (!t.codecs.empty()) j["codecs"] = t.codecs;
    if (!t.containers.empty()) j["containers"] = t.containers;
    if (t.startsAtOnce) j["starts_at_once"] = true;
    if (t.hdr) j["hdr"] = true;
    for (const auto& [name, member] : kBorders)
        if (t.covered.*member > 0) j["covered"][name] = t.covered.*member;
    return j;
}

Rect Target::freeOf(Size s) const {
    const int l = int(std::lround(s.w * covered.left / 100)), t = int(std::lround(s.h * covered.top / 100));
    return {l, t, s.w - l - int(std::lround(s.w * covered.right / 100)),
            s.h - t - int(std::lround(s.h * covered.bottom / 100))};
}

std::vector<std::string> targetFolders() {
    std::vector<std::string> folders;
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    if (data && *data)
        folders.push_back(std::string(data) + "/ulmwood/targets");
    else if (home)
        folders.push_back(std::string(home) + "/.local/share/ulmwood/targets");
    if (const char* more = std::getenv("ULMWOOD_TARGETS")) {
        std::istringstream s(more);
        for (std::string f; std::getline(s, f, ':');)
            if (!f.empty()) folders.push_back(f);
    }
    return folders;
}

std::vector<Target> loadTargets(const std::vector<std::string>& folders, std::vector<std::string>* problems) {
    std::vector<Target> all;
    const auto add = [&](Target t) {
        const auto same = std::ranges::find(all, t.name, &Target::name);
        if (same != all.end())
            *same = std::move(t);
        else
            all.push_back(std::move(t));
    };
    for (const char* card : shippedCards()) {
        Target t = targetFromJson(json::parse(card), "a card that ships");
        t.file.clear();
        add(std::move(t));
    }
    for (const auto& folder : folders) {
        std::error_code ec;
        std::vector<fs::path> files;
        for (const auto& e : fs::directory_iterator(folder, ec))
            if (e.path().extension() == ".json") files.push_back(e.path());
        std::ranges::sort(files);
        for (const auto& f : files) try {
                Target t = targetFromJson(readJsonFile(f.string()), f.string());
                if (problems)
                    for (const std::string& u : t.unknown) problems->push_back(f.string() + ": " + u);
                add(std::move(t));
            } catch (const Error& e) {
                if (problems) problems->push_back(e.what());
            }
    }
    return all;
}

Target findTarget(const std::vector<Target>& all, const std::string& name) {
    if (name.ends_with(".json")) return targetFromJson(readJsonFile(name), name);
    const auto it = std::ranges::find(all, name, &Target::name);
    if (it != all.end()) return *it;
    std::vector<std::string> names;
    for (const auto& t : all) names.push_back(t.name);
    throw Error(Fault::Usage, "", "there is no target \"" + name + "\"." + didYouMean(name, names),
                "Known: " + listed(names) + "; or name a card's file.");
}

std::vector<LimitCheck> checkLimits(const Target& t, const DeliveredFile& d) {
    std::vector<LimitCheck> all;
    const std::string size = sizeText({d.width, d.height});
    if (t.size) all.push_back({"size", sizeText(*t.size), size, d.width == t.size->w && d.height == t.size->h});
    if (!t.aspects.empty()) {
        std::vector<std::string> names;
        for (const auto& a : t.aspects) names.push_back(aspectText(a));
        const bool fits =
            std::ranges::any_of(t.aspects, [&](const Size& a) { return hasAspect(d.width, d.height, a); });
        std::string value = aspectText({d.width, d.height});
        for (const auto& a : t.aspects)
            if (hasAspect(d.width, d.height, a)) value = aspectText(a);
        all.push_back({"aspect", listed(names), value, fits});
    }
    if (t.maxWidth)
        all.push_back({"width", "≤ " + std::to_string(t.maxWidth), std::to_string(d.width), d.width <= t.maxWidth});
    if (t.maxHeight)
        all.push_back(
            {"height", "≤ " + std::to_string(t.maxHeight), std::to_string(d.height), d.height <= t.maxHeight});
    if (t.maxLines) {
        const int lines = std::min(d.width, d.height);
        all.push_back({"lines", "≤ " + std::to_string(t.maxLines), std::to_string(lines), lines <= t.maxLines});
    }
    if (t.maxFps > 0) all.push_back({"fps", "≤ " + plain(t.maxFps), plain(d.fps, 3), d.fps <= t.maxFps * 1.0005});
    if (t.maxSeconds > 0)
        all.push_back(
            {"duration_s", "≤ " + plain(t.maxSeconds), plain(d.seconds, 2), d.seconds <= t.maxSeconds + kLengthSlack});
    if (t.maxMb > 0 && d.bytes > 0)
        all.push_back({"bytes", "≤ " + std::to_string(t.maxBytes()), std::to_string(d.bytes), d.bytes <= t.maxBytes()});
    if (!t.codecs.empty())
        all.push_back({"codec", listed(t.codecs), d.codec, std::ranges::find(t.codecs, d.codec) != t.codecs.end()});
    if (!t.containers.empty()) {
        // libavformat names one demuxer for a family: "mov,mp4,m4a,3gp,3g2,mj2".
        const bool fits = std::ranges::any_of(t.containers, [&](const std::string& c) {
            return ("," + d.container + ",").find("," + c + ",") != std::string::npos;
        });
        all.push_back({"container", listed(t.containers), d.container, fits});
    }
    if (t.startsAtOnce) all.push_back({"starts_at_once", "yes", d.indexInFront ? "yes" : "no", d.indexInFront});
    return all;
}

std::string LimitCheck::told() const {
    if (limit == "starts_at_once") return "takes files that play at once; this one's index comes last";
    struct Words {
        const char *before, *after;
    };
    static const std::map<std::string, Words> words{
        {"size", {"", " pixels"}},         {"aspect", {"the shape ", ""}}, {"width", {"", " pixels across"}},
        {"height", {"", " pixels down"}},  {"lines", {"", " lines"}},      {"fps", {"", " frames a second"}},
        {"duration_s", {"", " s"}},        {"bytes", {"", " bytes"}},      {"codec", {"the codec ", ""}},
        {"container", {"the format ", ""}}};
    constexpr std::string_view kMost = "≤ ";
    const Words& w = words.at(limit);
    const bool most = allowed.starts_with(kMost);
    return std::string("takes ") + w.before + (most ? "at most " + allowed.substr(kMost.size()) : allowed) + w.after +
           "; this would be " + value + (limit == "duration_s" ? " s" : "");
}

bool allHold(const std::vector<LimitCheck>& all) { return std::ranges::all_of(all, &LimitCheck::holds); }

namespace {

// True where an MP4's index box comes before its data, so playing can start before all has arrived.
bool indexComesFirst(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    for (int boxes = 0; boxes < 1000 && in; ++boxes) {
        unsigned char h[16];
        if (!in.read(reinterpret_cast<char*>(h), 8)) break;
        std::uint64_t size = (std::uint64_t(h[0]) << 24) | (h[1] << 16) | (h[2] << 8) | h[3];
        const std::string type(reinterpret_cast<char*>(h) + 4, 4);
        if (type == "moov") return true;
        if (type == "mdat") return false;
        std::uint64_t header = 8;
        if (size == 1) {
            if (!in.read(reinterpret_cast<char*>(h), 8)) break;
            size = 0;
            for (int i = 0; i < 8; ++i) size = size << 8 | h[i];
            header = 16;
        }
        if (size < header) break;
        in.seekg(static_cast<std::streamoff>(size - header), std::ios::cur);
    }
    return true; // not an MP4: other containers play as they come
}

} // namespace

DeliveredFile deliveredFile(const MediaFacts& f) {
    return {f.video.width, f.video.height, f.video.fps, f.duration,
            f.bytes,       f.video.codec,  f.container, indexComesFirst(f.file)};
}

std::string limitsText(const Target& t) {
    std::vector<std::string> all;
    if (t.size) all.push_back(sizeText(*t.size));
    std::string shapes;
    for (const Size& a : t.aspects) shapes += (shapes.empty() ? "" : " or ") + aspectText(a);
    if (!shapes.empty()) all.push_back(shapes);
    const auto most = [&](double v, const std::string& unit) {
        if (v > 0) all.push_back("≤ " + plain(v, 2) + unit);
    };
    most(t.maxWidth, " pixels wide");
    most(t.maxHeight, " pixels high");
    most(t.maxLines, " lines");
    most(t.maxFps, " fps");
    most(t.maxSeconds, " s");
    most(t.maxMb, " MB");
    if (!t.codecs.empty()) all.push_back(listed(t.codecs));
    if (!t.containers.empty()) all.push_back("in " + listed(t.containers));
    if (t.startsAtOnce) all.push_back("plays before it is loaded");
    if (t.hdr) all.push_back("HDR");
    std::string text;
    for (const std::string& a : all) text += (text.empty() ? "" : " · ") + a;
    return text;
}

} // namespace ulm
