// Every key of a ticket does something to what is delivered, and the pictures' keys tell: no control without an effect,
// no picture from the cache that another ticket made.
#include "core/deliver/export.h"
#include "core/deliver/movie_writer.h"
#include "core/media/frame_convert.h"
#include "core/media/png.h"
#include "core/ticket/step.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>
#include <set>

using namespace ulm;
using test::TempFolder;

namespace {

constexpr int kWidth = 192, kHeight = 144, kFrames = 10;

// A clip with something of every fault: blocks, noise, slanted edges in steps, a banded sky, movement too fast to tell.
std::string writeSpoilt(const TempFolder& folder) {
    VideoEncoding e;
    e.width = kWidth;
    e.height = kHeight;
    e.crf = 12;
    const std::string path = folder / "spoilt.mp4";
    MovieWriter w(path, "mp4", e, std::nullopt);
    for (int n = 0; n < kFrames; ++n) {
        Picture p = test::photograph(kWidth, kHeight, 31);
        Plane& luma = p.planes[0];
        for (int y = 0; y < 60; ++y)
            for (int x = 0; x < kWidth; ++x) // a slope of few steps, four codes each
                luma.row(y)[x] = float(60 + 4 * ((x + y) / 24)) / 219;
        for (int y = 60; y < 80; ++y) // an edge at a slant, in steps of four pixels
            for (int x = 0; x < kWidth; ++x) luma.row(y)[x] = x / 4 * 4 / 12 + 60 > y ? 0.85f : 0.15f;
        for (int along = -24; along < 24; ++along) // what swings by a quarter turn a frame: nobody can tell how
            for (int beside = -6; beside < 6; ++beside)
                luma.row(115 + (n % 2 ? beside : along))[150 + (n % 2 ? along : beside)] = 0.02f;
        test::quantiseBlocks(p, 14);
        test::addNoise(p, 3, 50 + std::uint32_t(n));
        for (int c : {1, 2})
            for (int y = 0; y < p.planes[c].area().h; ++y)
                for (int x = 0; x < p.planes[c].area().w; ++x)
                    p.planes[c].row(y)[x] += 0.03f * float((x * 7 + y * 13 + n * 5 + c) % 5 - 2);
        w.write(*toFrame(p, AV_PIX_FMT_YUV420P), n, 1);
    }
    w.finish();
    return path;
}

Inspection spoilt() {
    Inspection i;
    Readings& r = i.readings;
    r.blocking = 9, r.noise = 3, r.chromaNoise = 3, r.ringing = 3, r.stairs = 80, r.banding = 20;
    r.compression = 20, r.yield = 60;
    i.duplicates = {4};
    for (int n = 0; n < kFrames; ++n) {
        i.faces.push_back({n, {60, 85, 50, 50}, 1});
        i.subject.places.push_back({0.3f, 0.6f, 0.1f, 0.1f});
        i.camera.push_back({n % 2 ? 0.02f : -0.02f, 0, 0, 0});
    }
    return i;
}

// A look-up table that turns light into dark.
const std::string& negative() {
    static const TempFolder folder;
    static const std::string set = [] {
        std::ofstream(folder / "negative.cube") << "LUT_1D_SIZE 2\n1 1 1\n0 0 0\n";
        return "finish.table=" + (folder / "negative.cube");
    }();
    return set;
}

// A picture of one's own.
const std::string& markFile() {
    static const TempFolder folder;
    static const std::string set = [] {
        PictureFormat f{16, 16, 0, 0};
        f.colour.matrix = 0;
        Picture p = Picture::make(f, f.frame());
        for (Plane& plane : p.planes)
            for (int y = 0; y < 16; ++y) std::fill_n(plane.row(y), 16, 0.9f);
        std::ofstream(folder / "own.png", std::ios::binary) << pngOf(p, 8);
        return "finish.mark.file=" + (folder / "own.png");
    }();
    return set;
}

struct Effect {
    std::vector<const char*> before; ///< what must be set for the key to matter
    const char* set;
};

const std::vector<Effect>& effects() {
    static const std::vector<Effect> all = {
        {{"stretch.from=0.1", "stretch.to=0.3"}, "stretch.on=false"},
        {{"stretch.to=0.3"}, "stretch.from=0.1"},
        {{}, "stretch.to=0.3"},
        {{}, "stretch.without=0.1-0.2"},
        {{"clean.noise=12"}, "clean.on=false"},
        {{}, "clean.blocks=40"},
        {{}, "clean.noise=12"},
        {{"clean.noise=6"}, "clean.method=learned-quick"},
        {{}, "clean.noise_chroma=12"},
        {{"clean.noise=8"}, "clean.temporal=false"},
        {{}, "clean.ringing=10"},
        {{}, "clean.stairs=80"},
        {{}, "clean.banding=50"},
        {{"clean.noise=6", "clean.method=learned", "enlarge.kind=rough", "enlarge.on=false", "clean.crisp=0"},
         "clean.crisp=100"},
        {{"clean.noise=4"}, "clean.texture=80"},
        {{"clean.noise=12"}, "clean.faces=false"},
        {{"clean.noise=12"}, "clean.keep_original=40"},
        {{"enlarge.scale=2", "enlarge.method=lanczos"}, "enlarge.on=false"},
        {{"enlarge.method=lanczos"}, "enlarge.scale=1.5"},
        {{"enlarge.method=lanczos"}, "enlarge.size=200x200"},
        {{"enlarge.scale=2", "enlarge.method=learned-quick"}, "enlarge.method=spline36"},
        {{"enlarge.scale=2", "enlarge.method=learned-quick"}, "enlarge.strength=20"},
        {{"enlarge.scale=2", "enlarge.method=learned-quick"}, "enlarge.kind=drawn"},
        {{"enlarge.scale=2", "enlarge.method=learned", "enlarge.crisp=0"}, "enlarge.crisp=100"},
        {{"enlarge.scale=1.5", "enlarge.method=learned-quick"}, "enlarge.above=2"},
        {{"enlarge.size=100x144", "enlarge.method=lanczos"}, "enlarge.x=0.1"},
        {{"enlarge.size=192x100", "enlarge.method=lanczos"}, "enlarge.y=0.9"},
        {{"motion.fps=10"}, "motion.on=false"},
        {{}, "motion.fps=50"},
        {{"motion.fps=33"}, "motion.method=fast"},
        {{"motion.fps=33"}, "motion.method=hold"},
        {{"motion.fps=33"}, "motion.unsure=mix"},
        {{}, "motion.speed=50"},
        {{}, "motion.duplicates=replace"},
        {{"motion.on=true"}, "motion.deinterlace=frame"},
        {{}, "motion.stabilise=70"},
        {{}, "motion.seconds=0.3"},
        {{}, "motion.reverse=true"},
        {{"motion.fps=50"}, "motion.places=0-0.5:hold"},
        {{}, "motion.shutter=180"},
        {{"motion.ramps=0:100 0.3:30"}, "motion.ease=true"},
        {{}, "motion.ramps=0:100 0.3:40"},
        {{}, "motion.freezes=0.2:0.2"},
        {{"frame.aspect=1:1"}, "frame.on=false"},
        {{}, "frame.aspect=4:5"},
        {{}, "frame.size=90x160"},
        {{"frame.aspect=9:16"}, "frame.fill=blur"},
        {{"frame.aspect=1:1"}, "frame.zoom=1.5"},
        {{"frame.fill=split", "frame.aspect=9:16"}, "frame.lower_x=0.1"},
        {{"frame.fill=split", "frame.lower_zoom=2"}, "frame.lower_y=0.1"},
        {{"frame.fill=split"}, "frame.lower_zoom=2"},
        {{"frame.fill=split", "frame.x=0.1"}, "frame.split=30"},
        {{"frame.aspect=9:16"}, "frame.x=0.9"},
        {{"frame.aspect=16:9"}, "frame.y=0.1"},
        {{"frame.aspect=9:16"}, "frame.follow=subject"},
        {{"frame.aspect=9:16", "frame.follow=steady"}, "frame.pins=0.1:0.9,0.5"},
        {{"frame.aspect=clip"}, "frame.turn=180"},
        {{"frame.aspect=clip"}, "frame.mirror=true"},
        {{"frame.aspect=clip"}, "frame.straighten=4"},
        {{"frame.aspect=clip"}, "frame.part=32,32,96x96"},
        {{"finish.sharpen.amount=1"}, "finish.on=false"},
        {{}, "finish.sharpen.amount=1.4"},
        {{"finish.sharpen.amount=1"}, "finish.sharpen.radius=2.5"},
        {{"finish.sharpen.amount=0"}, "finish.detail.finest=2"},
        {{"finish.sharpen.amount=0"}, "finish.detail.fine=2"},
        {{"finish.sharpen.amount=0"}, "finish.detail.medium=2"},
        {{"finish.sharpen.amount=0"}, "finish.detail.coarse=2"},
        {{"finish.sharpen.amount=0", "finish.detail.fine=2"}, "finish.detail.threshold=9"},
        {{"finish.sharpen.amount=3", "finish.sharpen.radius=2"}, "finish.halo_limit=100"},
        {{"finish.sharpen.amount=3", "finish.sharpen.radius=2", "finish.halo_limit=0"}, "finish.shadows=false"},
        {{}, "finish.clarity.amount=60"},
        {{"finish.clarity.amount=60"}, "finish.clarity.radius=5"},
        {{}, "finish.light.exposure=0.5"},
        {{}, "finish.light.curve=0:0 50:70 100:100"},
        {{}, "finish.light.contrast=40"},
        {{"finish.light.contrast=40"}, "finish.light.pivot=70"},
        {{}, "finish.light.shadows=40"},
        {{}, "finish.light.lights=-40"},
        {{}, "finish.light.lightness=20"},
        {{}, "finish.colour.warmth=30"},
        {{}, "finish.colour.tint=-30"},
        {{}, "finish.colour.saturation=40"},
        {{}, "finish.colour.vibrance=60"},
        {{}, "finish.colour.hue=20"},
        {{}, negative().c_str()},
        {{negative().c_str()}, "finish.table_strength=40"},
        {{}, "finish.glow.amount=70"},
        {{"finish.glow.amount=70"}, "finish.glow.threshold=20"},
        {{"finish.glow.amount=70"}, "finish.glow.radius=6"},
        {{}, "finish.vignette=60"},
        {{}, "finish.mark.text=Tern"},
        {{}, markFile().c_str()},
        {{"finish.mark.text=Tern"}, "finish.mark.place=top"},
        {{"finish.mark.text=Tern"}, "finish.mark.size=60"},
        {{"finish.mark.text=Tern"}, "finish.mark.opacity=30"},
        {{"finish.mark.text=Tern"}, "finish.mark.from=0.2"},
        {{"finish.mark.text=Tern"}, "finish.mark.to=0.1"},
        {{}, "finish.fade.in=0.3"},
        {{}, "finish.fade.out=0.3"},
        {{}, "finish.grain.amount=6"},
        {{"finish.grain.amount=6"}, "finish.grain.size=2.5"},
        {{"finish.grain.amount=6"}, "finish.grain.midtones=1"},
        {{"finish.grain.amount=6"}, "finish.grain.seed=9"},
    };
    return all;
}

std::string keyOf(const std::string& assignment) { return assignment.substr(0, assignment.find('=')); }

Ticket ticketOf(const Effect& e, bool set) {
    Ticket t;
    t.finish.shadows = true;
    for (const char* a : e.before) setByAssignment(t, a);
    if (set) setByAssignment(t, e.set);
    return t;
}

struct Delivered {
    Key key = 0;
    Picture picture;
    std::vector<double> frames, times;
};

} // namespace

TEST_CASE("every key of a ticket changes what is delivered, and the picture's key with it") {
    const TempFolder folder;
    const auto reader = std::make_shared<FrameReader>(Clip::openVideo(writeSpoilt(folder)),
                                                      PacketDecoder::Threads::Single, std::size_t(32) << 20);
    const Inspection found = spoilt();
    const auto deliver = [&](const Ticket& t) {
        const DeliveryPtr pMade = resolve(reader, found, t);
        const Delivery& p = *pMade;
        Engine engine(std::size_t(64) << 20);
        Delivered d;
        d.key = p.result->key();
        for (std::int64_t k = 0; k < p.frames(); ++k) {
            const DeliveredFrame f = p.at(k);
            d.frames.push_back(f.instants.front().frame), d.times.push_back(f.pts);
        }
        d.picture = engine.pull(*p.result, p.at(p.frames() / 2).stage, p.result->format().frame(), {});
        return d;
    };
    std::set<std::string> covered = {"finish.hdr"}; // acts on HDR clips: hdr_test.cpp
    for (const Effect& e : effects()) {
        covered.insert(keyOf(e.set));
        INFO(e.set);
        const Delivered was = deliver(ticketOf(e, false)), now = deliver(ticketOf(e, true));
        const bool sameSize = was.picture.format == now.picture.format,
                   sameTimes = was.frames == now.frames && was.times == now.times;
        double difference = 0;
        if (sameSize && sameTimes)
            for (int c = 0; c < 3; ++c)
                difference += std::sqrt(test::meanSquare(was.picture.planes[c], now.picture.planes[c]));
        INFO("differs by " << 219 * difference << " steps");
        CHECK((!sameSize || !sameTimes || difference > 0.02 / 219));
        CHECK((sameTimes ? was.key != now.key : true));
        for (const Plane& p : now.picture.planes)
            for (int y = p.area().y; y < p.area().bottom(); ++y)
                for (int x = 0; x < p.area().w; ++x) REQUIRE(std::isfinite(p.row(y)[x]));
        CHECK(deliver(ticketOf(e, true)).key == now.key);
    }
    for (const TicketKey* f : ticketKeys())
        if (!f->path.starts_with("sound.") && !f->path.starts_with("deliver.")) {
            INFO("no effect is tried for " << f->path);
            CHECK(covered.contains(f->path));
        }
}

TEST_CASE("every key of sound and delivery changes the file") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = 160, r.height = 96, r.frames = 50, r.sound = true, r.soundCodec = "libmp3lame";
    test::writeClip(folder / "a.mp4", r);
    int count = 0;
    const auto file = [&](const Ticket& t) {
        const std::string to = folder / (std::to_string(count++) + ".mp4");
        exportClip({folder / "a.mp4", to, t, {}, {}, false}, {});
        return Clip::openVideo(to)->facts();
    };
    const std::vector<Effect> all = {
        {{"sound.mode=aac"}, "sound.on=false"},
        {{}, "sound.mode=drop"},
        {{}, "deliver.quality=best"},
        {{}, "deliver.rate=constant"},
        {{"deliver.rate=variable"}, "deliver.bitrate=120"},
        {{"deliver.rate=size", "finish.grain.amount=15"}, "deliver.size_mb=0.2"},
        {{"deliver.rate=variable", "deliver.bitrate=200"}, "deliver.two_pass=false"},
    };
    std::set<std::string> covered = {"deliver.codec", "deliver.container", // one choice each so far
                                     "deliver.on"};                        // it is always done
    for (const Effect& e : all) {
        covered.insert(keyOf(e.set));
        INFO(e.set);
        const MediaFacts was = file(ticketOf(e, false)), now = file(ticketOf(e, true));
        const auto sound = [](const MediaFacts& f) { return f.audio.empty() ? std::string() : f.audio[0].codec; };
        CHECK((was.bytes != now.bytes || sound(was) != sound(now)));
        if (std::string(e.set) == "sound.mode=drop") CHECK(sound(now).empty());
        if (std::string(e.set) == "deliver.size_mb=0.2") CHECK(now.bytes <= 200000);
        if (std::string(e.set) == "deliver.quality=best") CHECK(now.bytes > was.bytes);
    }
    for (const TicketKey* f : ticketKeys())
        if (f->path.starts_with("sound.") || f->path.starts_with("deliver.")) {
            INFO("no effect is tried for " << f->path);
            CHECK(covered.contains(f->path));
        }
}
