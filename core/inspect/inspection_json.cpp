#include "core/base/error.h"
#include "core/inspect/inspection.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <sstream>

namespace ulm {
namespace {
using nlohmann::json;

constexpr int kVersion = 11; // of what readings mean: kept ones of another version are made anew

json boxJson(const Rect& r) { return r.empty() ? json(nullptr) : json{r.x, r.y, r.w, r.h}; }
Rect boxFrom(const json& j) {
    if (!j.is_array() || j.size() != 4) return {};
    return {j[0].get<int>(), j[1].get<int>(), j[2].get<int>(), j[3].get<int>()};
}

json marksJson(const std::vector<Mark>& marks) {
    json all = json::array();
    for (const Mark& m : marks)
        all.push_back({{"frame", m.frame}, {"box", boxJson(m.box)}, {"confidence", m.confidence}});
    return all;
}
std::vector<Mark> marksFrom(const json& j) {
    std::vector<Mark> all;
    for (const json& m : j)
        all.push_back({m.at("frame").get<std::int64_t>(), boxFrom(m.at("box")), m.at("confidence").get<double>()});
    return all;
}

constexpr std::array kBeings = {"person", "animal", "thing"}; // in the order of Being

json readingsJson(const Readings& r) {
    json all;
    for (const ReadingKind& k : readingKinds()) all[k.key] = r.*k.member;
    return all;
}
Readings readingsFrom(const json& j) {
    Readings r;
    for (const ReadingKind& k : readingKinds()) r.*k.member = j.value(k.key, 0.0);
    return r;
}

json roundedList(const std::vector<float>& v) {
    json all = json::array();
    for (const float x : v) all.push_back(std::round(x * 100) / 100.0);
    return all;
}

// Places in thousandths, four numbers a frame.
json placesJson(const std::vector<SubjectPlace>& all) {
    json places = json::array();
    for (const SubjectPlace& p : all)
        for (const float v : {p.x, p.y, p.w, p.h}) places.push_back(std::lround(1000 * v));
    return places;
}
std::vector<SubjectPlace> placesFrom(const json& j) {
    const auto numbers = j.get<std::vector<int>>();
    std::vector<SubjectPlace> all;
    for (std::size_t i = 0; i + 3 < numbers.size(); i += 4) {
        const auto part = [&](std::size_t k) { return float(std::clamp(numbers[i + k], 0, 1000)) / 1000; };
        all.push_back({part(0), part(1), part(2), part(3)});
    }
    return all;
}

json subjectJson(const Subject& s) {
    json shots = json::array();
    for (const SubjectShot& shot : s.shots)
        shots.push_back({{"first", shot.first},
                         {"faces", shot.faces},
                         {"things", shot.things},
                         {"being", kBeings[std::size_t(shot.being)]},
                         {"movement", shot.movement},
                         {"contrast", shot.contrast},
                         {"confidence", shot.confidence},
                         {"second", shot.second}});
    return {{"places", placesJson(s.places)}, {"seconds", placesJson(s.seconds)}, {"shots", shots}};
}
// Moves as whole millionths: finer than they are known.
json cameraJson(const std::vector<CameraMove>& moves) {
    json all = json::array();
    for (const CameraMove& m : moves)
        for (const float v : {m.x, m.y, m.turn, m.grow}) all.push_back(std::lround(double(v) * 1e6));
    return all;
}
std::vector<CameraMove> cameraFrom(const json& j) {
    const auto all = j.get<std::vector<std::int64_t>>();
    std::vector<CameraMove> moves;
    for (std::size_t i = 0; i + 3 < all.size(); i += 4) {
        const auto part = [&](std::size_t k) { return float(std::clamp<double>(double(all[i + k]) * 1e-6, -1, 1)); };
        moves.push_back({part(0), part(1), part(2), part(3)});
    }
    return moves;
}

Being beingFrom(const std::string& word) {
    const auto at = std::ranges::find(kBeings, word);
    return at == kBeings.end() ? Being::Thing : Being(at - kBeings.begin());
}

Subject subjectFrom(const json& j) {
    Subject s;
    s.places = placesFrom(j.at("places"));
    s.seconds = placesFrom(j.at("seconds"));
    for (const json& shot : j.at("shots"))
        s.shots.push_back({shot.at("first").get<std::int64_t>(), shot.at("faces").get<double>(),
                           shot.at("things").get<double>(), beingFrom(shot.at("being")),
                           shot.at("movement").get<double>(), shot.at("contrast").get<double>(),
                           shot.at("confidence").get<double>(), shot.at("second").get<double>()});
    return s;
}

double secondsOf(const MediaFacts& f, std::int64_t frame) { return f.video.fps > 0 ? double(frame) / f.video.fps : 0; }

} // namespace

json toJson(const Inspection& i, const MediaFacts& facts) {
    json details, advice = json::array(), found = json::array(), places = json::array(), samples = json::array(),
                  candidates = json::array(), silences = json::array();
    for (const ReadingKind& k : readingKinds()) {
        const auto w = i.worst.find(k.key);
        const auto c = i.confidence.find(k.key);
        const Worst worst = w == i.worst.end() ? Worst{} : w->second;
        details[k.key] = {{"name", k.name},
                          {"unit", k.unit},
                          {"method", k.method},
                          {"notable_from", k.notable},
                          {"confidence", c == i.confidence.end() ? 0.0 : c->second},
                          {"worst",
                           {{"value", worst.value},
                            {"frame", worst.frame},
                            {"seconds", secondsOf(facts, worst.frame)},
                            {"box", boxJson(worst.box)}}}};
    }
    for (const Advice& a : advise(i, facts)) {
        json one = {{"step", a.step}, {"what", a.what}, {"why", a.why}, {"risk", a.risk}, {"set", a.set}};
        if (!a.secondWhat.empty()) one["second"] = {{"what", a.secondWhat}, {"set", a.secondSet}};
        advice.push_back(one);
    }
    for (const Finding& f : findings(i, facts))
        found.push_back({{"key", f.key},
                         {"what", f.what},
                         {"told", f.told},
                         {"severity", f.severity},
                         {"frame", f.frame},
                         {"seconds", secondsOf(facts, f.frame)},
                         {"box", boxJson(f.box)},
                         {"confidence", f.confidence}});
    const auto placeJson = [](const WatchPlace& p) {
        return json{{"what", p.what}, {"frame", p.frame}, {"x", p.x}, {"y", p.y}, {"value", p.value}};
    };
    for (const WatchPlace& p : choosePlaces(i, {{0, 0, facts.video.width, facts.video.height}}, 48))
        places.push_back(placeJson(p));
    for (const WatchPlace& p : i.candidates) candidates.push_back(placeJson(p));
    for (const auto& [frame, r] : i.samples) {
        json one = readingsJson(r);
        one["frame"] = frame;
        samples.push_back(one);
    }
    for (const auto& [a, b] : i.sound.silences) silences.push_back({a, b});
    return {{"ulmwood_inspection", kVersion},
            {"file", facts.file},
            {"complete", i.complete},
            {"readings", readingsJson(i.readings)},
            {"yield", i.readings.yield},
            {"details", details},
            {"block_grid", {{"size", i.grid.size}, {"x", i.grid.x}, {"y", i.grid.y}}},
            {"findings", found},
            {"cuts", i.cuts},
            {"duplicates", i.duplicates},
            {"duplicate_pattern", {{"repeats", i.repeats.repeats}, {"of", i.repeats.of}}},
            {"movement",
             {{"shake_px", i.movement.shake},
              {"shakiest_frame", i.movement.shakiest},
              {"speed_px", i.movement.speed},
              {"judder", i.movement.judder},
              {"fast", i.movement.fast},
              {"confidence", i.movement.confidence},
              {"camera_trust", i.movement.cameraTrust},
              {"jumps", i.movement.jumps},
              {"change", roundedList(i.movement.change)}}},
            {"timing",
             {{"uneven_percent", i.timing.unevenShare},
              {"gaps", i.timing.gaps},
              {"missing", i.timing.missing},
              {"filmed_fps", i.timing.filmed}}},
            {"field_order", i.fieldOrder},
            {"pulldown",
             {{"top_first", i.pulldown.topFirst}, {"woven", i.pulldown.woven}, {"repeats", i.pulldown.repeats}}},
            {"picture_box", boxJson(i.inside)},
            {"detail_lines", i.detailLines(facts.video.height)},
            {"faces", marksJson(i.faces)},
            {"text", marksJson(i.text)},
            {"overlays", marksJson(i.overlays)},
            {"camera", cameraJson(i.camera)},
            {"subject", subjectJson(i.subject)},
            {"kind", i.kind},
            {"kind_confidence", i.kindConfidence},
            {"dark", i.dark},
            {"fast", i.movement.fast},
            {"sound", i.sound.any ? json{{"loudness_lufs", i.sound.loudness},
                                         {"range_lu", i.sound.range},
                                         {"true_peak_db", i.sound.truePeak},
                                         {"noise_floor_db", i.sound.noiseFloor},
                                         {"clipped_percent", i.sound.clippedShare},
                                         {"silences", silences},
                                         {"momentary_lufs", roundedList(i.sound.momentary)},
                                         {"seconds", i.sound.seconds}}
                                  : json(nullptr)},
            {"advice", advice},
            {"places", places},
            {"candidates", candidates},
            {"samples", samples},
            {"runs", i.runs},
            {"frames_looked_at", i.framesLooked},
            {"frames_measured", i.samples.size()},
            {"lost_frames", i.framesLost}};
}

Inspection inspectionFromJson(const json& j, const std::string& file) {
    Inspection i;
    try {
        if (j.at("ulmwood_inspection") != kVersion) throw std::runtime_error("of another version");
        i.complete = j.at("complete").get<bool>();
        i.readings = readingsFrom(j.at("readings"));
        i.readings.yield = j.at("yield").get<double>();
        for (const auto& [key, d] : j.at("details").items()) {
            i.confidence[key] = d.at("confidence").get<double>();
            const json& w = d.at("worst");
            i.worst[key] = {w.at("value").get<double>(), w.at("frame").get<std::int64_t>(), boxFrom(w.at("box"))};
        }
        i.grid = {j.at("block_grid").at("size").get<double>(), j.at("block_grid").at("x").get<int>(),
                  j.at("block_grid").at("y").get<int>()};
        i.cuts = j.at("cuts").get<std::vector<std::int64_t>>();
        i.duplicates = j.at("duplicates").get<std::vector<std::int64_t>>();
        i.repeats = {j.at("duplicate_pattern").at("repeats").get<int>(), j.at("duplicate_pattern").at("of").get<int>()};
        const json& m = j.at("movement");
        i.movement.shake = m.at("shake_px").get<double>();
        i.movement.shakiest = m.at("shakiest_frame").get<std::int64_t>();
        i.movement.speed = m.at("speed_px").get<double>();
        i.movement.judder = m.at("judder").get<double>();
        i.movement.fast = m.at("fast").get<bool>();
        i.movement.confidence = m.at("confidence").get<double>();
        i.movement.cameraTrust = m.at("camera_trust").get<double>();
        i.movement.jumps = m.at("jumps").get<std::vector<std::int64_t>>();
        i.movement.change = m.at("change").get<std::vector<float>>();
        i.timing = {j.at("timing").at("uneven_percent").get<double>(),
                    j.at("timing").at("gaps").get<std::vector<std::int64_t>>(),
                    j.at("timing").at("missing").get<std::int64_t>(), j.at("timing").at("filmed_fps").get<double>()};
        i.fieldOrder = j.at("field_order").get<std::string>();
        const json& film = j.at("pulldown");
        i.pulldown = {film.at("top_first").get<bool>(), film.at("woven").get<std::vector<std::int64_t>>(),
                      film.at("repeats").get<std::vector<std::int64_t>>()};
        i.inside = boxFrom(j.at("picture_box"));
        i.faces = marksFrom(j.at("faces"));
        i.text = marksFrom(j.at("text"));
        i.overlays = marksFrom(j.at("overlays"));
        i.camera = cameraFrom(j.at("camera"));
        i.subject = subjectFrom(j.at("subject"));
        i.kind = j.at("kind").get<std::string>();
        i.kindConfidence = j.at("kind_confidence").get<double>();
        i.dark = j.at("dark").get<bool>();
        if (const json& s = j.at("sound"); s.is_object()) {
            i.sound.any = true;
            i.sound.loudness = s.at("loudness_lufs").get<double>();
            i.sound.range = s.at("range_lu").get<double>();
            i.sound.truePeak = s.at("true_peak_db").get<double>();
            i.sound.noiseFloor = s.at("noise_floor_db").get<double>();
            i.sound.clippedShare = s.at("clipped_percent").get<double>();
            i.sound.silences = s.at("silences").get<std::vector<std::pair<double, double>>>();
            i.sound.momentary = s.at("momentary_lufs").get<std::vector<float>>();
            i.sound.seconds = s.at("seconds").get<double>();
        }
        for (const json& p : j.at("candidates"))
            i.candidates.push_back({p.at("what").get<std::string>(), p.at("frame").get<std::int64_t>(),
                                    p.at("x").get<int>(), p.at("y").get<int>(), p.at("value").get<double>()});
        for (const json& s : j.at("samples"))
            i.samples.emplace_back(s.at("frame").get<std::int64_t>(), readingsFrom(s));
        i.runs = j.at("runs").get<std::vector<std::pair<std::int64_t, std::int64_t>>>();
        i.framesLooked = j.at("frames_looked_at").get<std::int64_t>();
        i.framesLost = j.at("lost_frames").get<std::int64_t>();
    } catch (const std::exception& e) {
        throw Error(Fault::Input, file, std::string("it is not an inspection that Ulmwood wrote (") + e.what() + ")",
                    "Inspect the clip again.");
    }
    return i;
}

std::string toCsv(const Inspection& i, const MediaFacts& facts) {
    std::ostringstream out;
    out << "reading,name,value,unit,notable_from,confidence,worst,worst_frame,worst_seconds,x,y,width,height,method\n";
    const auto quoted = [](const std::string& s) { return '"' + s + '"'; };
    for (const ReadingKind& k : readingKinds()) {
        const auto it = i.worst.find(k.key);
        const Worst w = it == i.worst.end() ? Worst{} : it->second;
        const auto c = i.confidence.find(k.key);
        out << k.key << ',' << quoted(k.name) << ',' << i.readings.*k.member << ',' << quoted(k.unit) << ','
            << k.notable << ',' << (c == i.confidence.end() ? 0.0 : c->second) << ',' << w.value << ',' << w.frame
            << ',' << secondsOf(facts, w.frame);
        if (w.box.empty())
            out << ",,,,";
        else
            out << ',' << w.box.x << ',' << w.box.y << ',' << w.box.w << ',' << w.box.h;
        out << ',' << quoted(k.method) << '\n';
    }
    const auto line = [&](const char* key, const char* name, double value, const char* unit) {
        out << key << ',' << quoted(name) << ',' << value << ',' << quoted(unit) << ",,,,,,,,,,\n";
    };
    line("cuts", "Cuts", double(i.cuts.size()), "count");
    line("duplicates", "Repeated frames", double(i.duplicates.size()), "count");
    line("shake_px", "Camera shake", i.movement.shake, "px");
    line("judder", "Judder", i.movement.judder, "% of movement");
    line("uneven_percent", "Uneven frame times", i.timing.unevenShare, "% of frames");
    line("missing_frames", "Missing frames", double(i.timing.missing), "count");
    line("detail_lines", "Lines of detail", i.detailLines(facts.video.height), "lines");
    if (i.sound.any) {
        line("loudness_lufs", "Loudness", i.sound.loudness, "LUFS");
        line("true_peak_db", "True peak", i.sound.truePeak, "dBTP");
        line("noise_floor_db", "Sound noise floor", i.sound.noiseFloor, "dBFS");
        line("sound_clipped_percent", "Clipped sound", i.sound.clippedShare, "% of samples");
    }
    return out.str();
}

} // namespace ulm
