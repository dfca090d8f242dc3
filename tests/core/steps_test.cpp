// The steps' own descriptions, and what is made from them: documents, values for one destination, codecs.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/codec/video_codec.h"
#include "core/ticket/documents.h"
#include "core/ticket/step.h"

#include "core/codec/encoder.h"

#include <catch2/catch.hpp>
#include <filesystem>
#include <set>

using namespace ulm;
using nlohmann::json;

namespace {

std::string refusal(const std::string& text) {
    try {
        ticketFromJson(json::parse(text), "t.json");
    } catch (const Error& e) {
        return e.reason;
    }
    return "accepted";
}

} // namespace

TEST_CASE("every key says what it is, lies in a step that exists, and keeps its default inside its range") {
    std::set<std::string> paths;
    for (const TicketKey* k : ticketKeys()) {
        INFO(k->path);
        CHECK(paths.insert(k->path).second);
        CHECK_FALSE(k->name.empty());
        CHECK(k->meaning.size() > 5);
        CHECK(std::ranges::any_of(stepHeads(), [&](const StepHead& h) { return h.key == k->stepKey(); }));
        Ticket t;
        CHECK(k->set(t, k->get(t)).empty()); // the default is accepted
        CHECK(t == Ticket{});
        CHECK_FALSE(k->set(t, json::array()).empty());
        CHECK(bool(k->acts) == !k->actsWhen.empty());
        CHECK((k->kind == TicketKey::Kind::Quantity) == bool(k->reading));
        if (k->number || k->quantity) CHECK((k->from >= k->least && k->from < k->to && k->to <= k->most));
        for (const auto& c : k->choices) CHECK(k->set(t, c.value).empty());
        for (const auto& c : k->presets) CHECK(k->set(t, k->parse(c.value)).empty());
    }
    CHECK(paths.size() > 50);
    for (const StepHead& h : stepHeads()) CHECK(findKey(h.key + ".on"));
}

TEST_CASE("docs/ticket.md and the JSON Schema are what the steps say") {
    const std::string docs = std::string(ULMWOOD_SOURCE) + "/docs/";
    const std::string page = readTextFile(docs + "ticket.md");
    INFO("make them anew: ulmwood-cli keys --markdown, ulmwood-cli keys --schema");
    CHECK(page.find(keysMarkdown()) != std::string::npos);
    CHECK(json::parse(readTextFile(docs + "ticket.schema.json")) == ticketSchema());
    CHECK(keysText("clean").find("clean.blocks=quantity, 0…100  (measured)") != std::string::npos);
    CHECK(keysText("clean").find("finish.") == std::string::npos);
    CHECK_THROWS_AS(keysText("polish"), Error);
    const json all = keysJson();
    CHECK(all["keys"].size() == ticketKeys().size());
    const json schema = ticketSchema();
    CHECK(schema["properties"]["clean"]["properties"]["noise"]["properties"]["value"]["maximum"] == 50);
    CHECK(schema["properties"]["finish"]["properties"]["grain"]["properties"]["size"]["minimum"] == 0.5);
}

TEST_CASE("a key that does nothing on this ticket is told, one that acts is not") {
    const auto idle = [](std::initializer_list<const char*> settings) {
        Ticket t;
        std::vector<std::string> set;
        for (const char* s : settings) set.push_back(setByAssignment(t, s));
        return idleKeys(t, set);
    };
    CHECK(idle({"frame.aspect=9:16", "frame.x=0.2"}).empty());
    CHECK(idle({"frame.x=0.2", "frame.fill=pad"}) ==
          std::vector<std::string>{"frame.x acts where frame.fill is crop or split and frame.follow=place"});
    CHECK(idle({"deliver.bitrate=900"}).empty()); // naming it asks for that kind of rate
    CHECK(idle({"deliver.bitrate=900", "deliver.rate=quality"}).size() == 1);
    CHECK(idle({"enlarge.method=lanczos", "enlarge.strength=50"}).size() == 1);
    CHECK(idle({"finish.sharpen.amount=0", "finish.sharpen.radius=2"}).size() == 1);
    CHECK(idle({"enlarge.scale=2", "enlarge.size=800x600"}).size() == 1);
}

TEST_CASE("a step can hold values for one destination only; all else is shared") {
    Ticket t;
    setByAssignment(t, "frame.aspect=9:16");
    CHECK(setByAssignment(t, "frame.x@cobble=0.2") == "frame.x");
    setByAssignment(t, "finish.grain.amount@cobble=3");
    CHECK(t.frame.x == 0.5);
    CHECK_FALSE(t.finish.on);
    const Ticket cobble = ticketFor(t, "cobble");
    CHECK(cobble.frame.x == 0.2);
    CHECK(cobble.frame.aspect == Size{9, 16});
    CHECK(cobble.finish.on); // setting a key switches its step on, there alone
    CHECK(cobble.finish.grain.amount == 3);
    CHECK(cobble.only.empty());
    CHECK(ticketFor(t, "other") == ticketFor(t, ""));
    CHECK(hasOwn(t, "cobble", "frame"));
    CHECK_FALSE(hasOwn(t, "cobble", "clean"));
    // As JSON, there and back.
    const json j = toJson(t);
    CHECK(j["for"]["cobble"]["frame"]["x"] == 0.2);
    CHECK(ticketFromJson(j, "x") == t);
    // Shared values reach it where it has none of its own.
    setByAssignment(t, "frame.aspect=4:5");
    CHECK(ticketFor(t, "cobble").frame.aspect == Size{4, 5});
    // An edit made with that destination in view goes where the value lives.
    Ticket now = ticketFor(t, "cobble");
    now.frame.x = 0.9;
    now.clean.on = true;
    Ticket edited = withEdit(t, "cobble", now);
    CHECK(edited.frame.x == 0.5);
    CHECK(ticketFor(edited, "cobble").frame.x == 0.9);
    CHECK(edited.clean.on);
    CHECK(withEdit(t, "cobble", ticketFor(t, "cobble")).clean == t.clean);
    // Given a step of its own, and given back.
    keepOwn(t, "cobble", "clean", now);
    CHECK(ticketFor(t, "cobble").clean.on);
    CHECK_FALSE(t.clean.on);
    shareAgain(t, "cobble", "clean");
    CHECK_FALSE(ticketFor(t, "cobble").clean.on);
    shareAgain(t, "cobble", "frame");
    shareAgain(t, "cobble", "finish");
    CHECK(t.only.empty());
}

TEST_CASE("values for one destination are checked like all others") {
    CHECK(refusal(R"({"ulmwood":1,"for":{"a":{"frame":{"x":2}}}})") == "at /for/a/frame/x: must lie in 0…1");
    CHECK(refusal(R"({"ulmwood":1,"for":{"a":{"polish":{}}}})") == "at /for/a/polish: there is no such step");
    CHECK(refusal(R"({"ulmwood":1,"for":[]})").starts_with("at /for: must be"));
    CHECK(refusal(R"({"ulmwood":1,"for":{"a":7}})") == "at /for/a: must be a JSON object");
    CHECK(refusal(R"({"ulmwood":1,"for":{"a":{"stretch":{"on":true,"from":3,"to":1}}}})")
              .starts_with("at /for/a/stretch/to"));
    const Ticket t = ticketFromJson(json::parse(R"({"ulmwood":1,"for":{"a":{"frame":{"shine":1}}}})"), "x");
    CHECK(unknownKeys(t) == std::vector<std::string>{"for.a.frame.shine"});
    Ticket u;
    CHECK_THROWS_AS(setByAssignment(u, "frame.x@=0.2"), Error);
    CHECK_THROWS_AS(setByAssignment(u, "frame.shine@a=0.2"), Error);
    CHECK_THROWS_AS(setByAssignment(u, "deliver.on=false"), Error);
}

TEST_CASE("every codec and container that a ticket may name is one that can be encoded") {
    for (const auto& c : findKey("deliver.codec")->choices) CHECK(videoCodec(c.value).title == c.word);
    for (const auto& c : findKey("deliver.container")->choices)
        CHECK(std::ranges::any_of(videoCodecs(), [&](const VideoCodec& v) {
            return std::ranges::find(v.containers, c.value) != v.containers.end();
        }));
    CHECK_THROWS_AS(videoCodec("wavelet"), Error);
    for (const VideoCodec& c : videoCodecs()) {
        VideoEncoding e;
        e.codec = c.name;
        e.width = 64, e.height = 48;
        CHECK(Encoder(e, false, {}).context().codec_id == c.id);
        CHECK(c.best < c.good);
        CHECK(c.good < c.small);
        CHECK(c.small < c.floor);
        CHECK(c.framesHeld(7680, 4320) < c.framesHeld(1920, 1080));
    }
}

TEST_CASE("the window reaches libav only through the core") {
    int files = 0;
    for (const auto& f : std::filesystem::recursive_directory_iterator(std::string(ULMWOOD_SOURCE) + "/app")) {
        if (f.path().extension() != ".cpp" && f.path().extension() != ".h") continue;
        ++files;
        const std::string text = readTextFile(f.path().string());
        INFO(f.path().string());
        for (const char* word : {"libav", "av_", "avcodec", "AVFrame", "AV_"})
            CHECK(text.find(word) == std::string::npos);
    }
    CHECK(files > 50);
}
