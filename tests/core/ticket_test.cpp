#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/framing/framing_plan.h"
#include "core/ticket/step.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <fstream>

using namespace ulm;
using nlohmann::json;

namespace {

// What a bad ticket is refused with.
std::string refusal(const std::string& text) {
    try {
        ticketFromJson(parseJson(text, "t.json"), "t.json");
    } catch (const Error& e) {
        CHECK(e.fault == Fault::Input);
        CHECK(e.file == "t.json");
        CHECK_FALSE(e.remedy.empty());
        return e.reason;
    }
    return "accepted";
}

std::string refusedKey(const std::string& assignment) {
    Ticket t;
    try {
        setByAssignment(t, assignment);
    } catch (const Error& e) {
        CHECK(e.fault == Fault::Usage);
        return e.what();
    }
    return "accepted";
}

// A value that the key takes and that is not its default.
json unlikeDefault(const TicketKey& k, const Ticket& t) {
    const json now = k.get(t);
    switch (k.kind) {
    case TicketKey::Kind::Flag: return !now.get<bool>();
    case TicketKey::Kind::Number: return now == k.most ? k.least : std::floor(k.least + (k.most - k.least) / 2) + 1;
    case TicketKey::Kind::Quantity: return {{"from", "fixed"}, {"value", k.most / 2}};
    case TicketKey::Kind::Choice:
        return k.choices.back().value == now ? k.choices.front().value : k.choices.back().value;
    case TicketKey::Kind::Size: return "642x360";
    case TicketKey::Kind::Aspect: return "4:5";
    case TicketKey::Kind::Method: return "spline36";
    case TicketKey::Kind::File: return "look" + k.ending;
    case TicketKey::Kind::Text: // places and times, a part, halts and speeds, words: the first that it takes
        for (const char* text :
             {"0.5:0.25,0.75", "0,4,32x32", "0.5:40", "0.5-1", "0.5-1:hold", "0:0 50:60 100:100", "Tern Street"})
            if (Ticket probe = t; k.set(probe, text).empty()) return text;
    }
    return {};
}

FramingPlan plan(Size source, const FramingWish& w) { return planFraming(source, w); }

} // namespace

TEST_CASE("a ticket comes back from JSON as it went in, every field of it") {
    Ticket t;
    for (const char* a : {"clean.blocks=12", "clean.noise=nudge:-2.5", "deliver.size_mb=5.5"}) setByAssignment(t, a);
    CHECK(t.clean.on);
    CHECK(t.clean.blocks == Quantity{From::Fixed, 12, 0});
    CHECK(t.clean.noise.from == From::Nudged);
    CHECK(t.clean.noise.nudge == -2.5);
    CHECK(t.deliver.rate == "size");

    // Every key away from its default, then through JSON and through a file.
    const Ticket untouched;
    Ticket all;
    for (const TicketKey* k : ticketKeys()) {
        INFO(k->path);
        if (k->path == "deliver.on") continue; // cannot be switched off
        REQUIRE(k->set(all, unlikeDefault(*k, untouched)) == "");
    }
    all.stretch.from = 1.5, all.stretch.to = 3;
    for (const TicketKey* k : ticketKeys()) {
        INFO(k->path);
        const bool hasNoOther =
            k->path == "deliver.on" || (k->kind == TicketKey::Kind::Choice && k->choices.size() == 1);
        CHECK((k->get(all) != k->get(untouched)) != hasNoOther);
    }
    test::TempFolder folder;
    saveTicket(all, folder / "a.ticket.json");
    CHECK(folder.names().size() == 1); // nothing left beside it
    for (const Ticket& back : {ticketFromJson(toJson(all), "x"), loadTicket(folder / "a.ticket.json")}) {
        CHECK(back == all);
        for (const TicketKey* k : ticketKeys()) {
            INFO(k->path);
            CHECK(k->get(back) == k->get(all));
        }
    }
}

TEST_CASE("measured, nudged and fixed resolve against the reading, inside the range") {
    CHECK(Quantity{From::Measured, 0, 0}.resolve(7, 0, 50) == 7);
    CHECK(Quantity{From::Nudged, 0, 3}.resolve(7, 0, 50) == 10);
    CHECK(Quantity{From::Nudged, 0, -30}.resolve(7, 0, 50) == 0);
    CHECK(Quantity{From::Fixed, 12, 3}.resolve(7, 0, 50) == 12);
    CHECK(Quantity{From::Measured, 0, 0}.resolve(99, 0, 50) == 50);
}

TEST_CASE("unknown keys inside a step are kept and named; unknown steps are refused") {
    const Ticket t =
        ticketFromJson(json::parse(R"({"ulmwood":1,"clean":{"on":true,"shine":3,"deep":{"er":[1]}}})"), "x");
    CHECK(unknownKeys(t) == std::vector<std::string>{"clean.deep.er", "clean.shine"});
    CHECK(toJson(t)["clean"]["shine"] == 3);
    CHECK(toJson(t)["clean"]["deep"]["er"] == json::array({1}));
    CHECK(refusal(R"({"ulmwood":1,"polish":{}})") == "at /polish: there is no such step");
}

TEST_CASE("wrong types and ranges are refused with their place") {
    CHECK(refusal("[]") == "at /: a ticket must be a JSON object");
    CHECK(refusal("{}").starts_with("at /ulmwood: missing"));
    CHECK(refusal(R"({"ulmwood":2})").starts_with("at /ulmwood: this ticket is of another version"));
    CHECK(refusal(R"({"ulmwood":1,"clean":7})") == "at /clean: a step must be a JSON object");
    CHECK(refusal(R"({"ulmwood":1,"clean":{"blocks":7}})").starts_with("at /clean/blocks: must be {"));
    CHECK(refusal(R"({"ulmwood":1,"clean":{"blocks":{"from":"guessed"}}})")
              .starts_with("at /clean/blocks: \"from\" must be"));
    CHECK(refusal(R"({"ulmwood":1,"clean":{"noise":{"from":"fixed","value":900}}})") ==
          "at /clean/noise: \"value\" must lie in 0…50");
    CHECK(refusal(R"({"ulmwood":1,"clean":{"noise":{"from":"fixed"}}})") ==
          "at /clean/noise: a fixed quantity needs \"value\"");
    CHECK(refusal(R"({"ulmwood":1,"enlarge":{"scale":"big"}})") == "at /enlarge/scale: must be a number");
    CHECK(refusal(R"({"ulmwood":1,"enlarge":{"scale":1e99}})") == "at /enlarge/scale: must lie in 1…8");
    CHECK(refusal(R"({"ulmwood":1,"enlarge":{"size":"0x0"}})").starts_with("at /enlarge/size: must be"));
    CHECK(refusal(R"({"ulmwood":1,"finish":{"sharpen":3}})").starts_with("at /finish/sharpen"));
    CHECK(refusal(R"({"ulmwood":1,"frame":{"aspect":"1:9999"}})").starts_with("at /frame/aspect"));
    CHECK(refusal(R"({"ulmwood":1,"stretch":{"on":true,"from":3,"to":1}})").starts_with("at /stretch/to"));
    CHECK(refusal(R"({"ulmwood":1,"deliver":{"codec":"wavelet"}})") == "at /deliver/codec: must be one of h264, h265");
    CHECK(refusal("not json at all") == "it is not JSON");
    CHECK(refusal(std::string(200000, '[')) == "it nests too deep to be what it should be");
}

TEST_CASE("bad assignments say what is known") {
    CHECK(refusedKey("clean.shine=3").find("clean.blocks") != std::string::npos);
    CHECK(refusedKey("nonsense").find("step.key=value") != std::string::npos);
    CHECK(refusedKey("clean.noise=loud").find("must be a number") != std::string::npos);
    CHECK(refusedKey("clean.noise=1e400").find("must") != std::string::npos);
    CHECK(refusedKey("enlarge.scale=nan").find("must lie") != std::string::npos);
    CHECK(refusedKey("frame.fill=stretch").find("crop, split, pad, blur") != std::string::npos);
    CHECK(refusedKey("clean.noise=measured") == "accepted");
}

TEST_CASE("files are written whole or not at all") {
    test::TempFolder folder;
    writeFileWhole(folder / "a", "one");
    writeFileWhole(folder / "a", "two");
    CHECK(readTextFile(folder / "a") == "two");
    CHECK_THROWS_AS(writeFileWhole(folder / "none/a", "x"), Error);
    CHECK_THROWS_AS(readTextFile(folder / "missing"), Error);
    std::ofstream(folder / "big") << std::string(100, 'x');
    CHECK_THROWS_AS(readTextFile(folder / "big", 50), Error);
    CHECK(folder.names().size() == 2);
}

TEST_CASE("framing: nothing asked keeps every pixel, but for an odd last line") {
    CHECK(plan({640, 360}, {}).identity({640, 360}));
    const FramingPlan odd = plan({641, 361}, {});
    CHECK(odd.width == 640);
    CHECK(odd.height == 360);
    CHECK(odd.srcW == 640);
    CHECK(plan({1, 1}, {}).width == 2);
}

TEST_CASE("framing: scales, sizes, shapes and fills") {
    FramingWish w;
    w.scale = 3;
    CHECK(plan({640, 360}, w).width == 1920);
    CHECK(plan({854, 480}, w).width == 2562);
    w.frame = true; // 9:16 by crop
    FramingPlan p = plan({640, 360}, w);
    CHECK(p.width == 608);
    CHECK(p.height == 1080);
    CHECK(p.srcH == 360);
    CHECK(p.srcW == Approx(360 * 608.0 / 1080));
    CHECK(p.srcX == Approx((640 - p.srcW) / 2));
    w.place.x = 1;
    CHECK(plan({640, 360}, w).srcX == Approx(640 - p.srcW));
    w.delivered = Size{1080, 1920};
    p = plan({640, 360}, w);
    CHECK(p.width == 1080);
    CHECK(p.scale() == Approx(1920.0 / 360));
    w.fill = Fill::Pad;
    p = plan({640, 360}, w);
    CHECK(p.w == 1080);
    CHECK(p.h == 608);
    CHECK(p.x == 0);
    CHECK(p.y == 656);
    CHECK((p.y % 2 == 0 && p.h % 2 == 0));
    CHECK(p.srcW == 640);
    // A size some lines off the source's shape is a crop of a few lines, never a stretch.
    FramingWish s;
    s.size = Size{1920, 1080};
    p = plan({720, 404}, s);
    CHECK(p.srcW / p.srcH == Approx(1920.0 / 1080).epsilon(0.003));
    s.frame = true;
    s.aspect = {1, 1};
    CHECK(plan({640, 360}, s).width == 1080);
    FramingWish big;
    big.scale = 8;
    CHECK_THROWS_AS(plan({4000, 3000}, big), Error);
}

TEST_CASE("sizes and aspects are read strictly") {
    CHECK(parseSize("1080x1920") == Size{1080, 1920});
    CHECK(parseSize("1080×1920") == Size{1080, 1920});
    for (const char* bad : {"", "x", "10x", "x10", "10x-2", "10x10x10", "9999999999x2", "a x b"})
        CHECK_FALSE(parseSize(bad));
    CHECK(parseAspect("4:5") == Size{4, 5});
    CHECK_FALSE(parseAspect("4/5"));
}
