#include "tests/support/clips.h"

#include "core/deliver/export.h"
#include "core/engine/engine.h"
#include "core/inspect/inspection.h"
#include "core/inspect/shots.h"
#include "core/judge/measures.h"
#include "core/motion/aligned_stage.h"
#include "core/picture/gaussian.h"
#include "core/restore/clean_stages.h"
#include "demo/clips.h"

#include <catch2/catch.hpp>

using namespace ulm;

namespace {

Plane soft(const Plane& p, double sigma) {
    Plane out = Plane::make(p.area());
    gaussianBlur(p, p.area(), sigma, out);
    return out;
}

Picture damagedBy(const std::function<void(Picture&)>& f) {
    Picture p = test::photograph(320, 192);
    f(p);
    return p;
}

// A stage that shows given pictures.
class Shown : public Stage {
public:
    explicit Shown(std::vector<Picture> all)
        : Stage({}, all[0].format,
                KeyMaker("shown").add(double(reinterpret_cast<std::uintptr_t>(all[0].planes[0].row(0))))),
          all_(std::move(all)) {}
    const char* name() const override { return "shown"; }
    std::int64_t frames() const override { return static_cast<std::int64_t>(all_.size()); }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) copySamples(all_[static_cast<std::size_t>(n)].planes[c], out.planes[c]);
    }

private:
    std::vector<Picture> all_;
};

} // namespace

TEST_CASE("the blocking reading rises with coarser blocks and stays quiet on clean, noisy and soft pictures") {
    const Picture clean = test::photograph(320, 192);
    CHECK(blockingReading(clean.planes[0]) < 1.5);
    CHECK(blockingReading(soft(clean.planes[0], 1.5)) < 1.5);
    CHECK(blockingReading(damagedBy([](Picture& p) { test::addNoise(p, 6, 1); }).planes[0]) < 1.5);
    double last = blockingReading(clean.planes[0]);
    for (const double step : {12.0, 20.0, 32.0, 48.0}) {
        const double now = blockingReading(damagedBy([=](Picture& p) { test::quantiseBlocks(p, step); }).planes[0]);
        INFO("step " << step);
        CHECK(now > last + 1);
        last = now;
    }
}

TEST_CASE("the noise reading tells the sigma that was added") {
    const Picture clean = test::photograph(320, 192);
    const double quiet = noiseReading(clean.planes[0], 219);
    CHECK(quiet < 2.2); // plaster and wood are texture, not noise
    double last = quiet;
    for (const double sigma : {3.0, 6.0, 10.0, 16.0}) {
        const double read = noiseReading(damagedBy([=](Picture& p) { test::addNoise(p, sigma, 3); }).planes[0], 219);
        INFO("sigma " << sigma << " read " << read);
        CHECK(read > last);
        CHECK(read == Approx(sigma).epsilon(0.15).margin(0.8));
        last = read;
    }
    PictureFormat f{128, 128};
    Picture flat = Picture::make(f, f.frame());
    for (Plane& p : flat.planes)
        for (int y = 0; y < p.area().h; ++y) std::fill_n(p.row(y), p.area().w, 0.4f);
    CHECK(noiseReading(flat.planes[0], 219) == 0);
    CHECK(blockingReading(flat.planes[0]) == 0);
    CHECK(softnessReading(flat.planes[0]) == 0);
    test::addNoise(flat, 8, 5);
    CHECK(noiseReading(flat.planes[0], 219) == Approx(8).epsilon(0.08));
}

TEST_CASE("the softness reading rises as a picture is blurred") {
    demo::Canvas canvas(320, 320);
    demo::makeIdent(320, 320, 1)->draw(7, canvas);
    const Picture sharp = [&] {
        PictureFormat f{320, 320};
        Picture p = Picture::make(f, f.frame());
        for (int y = 0; y < 320; ++y)
            for (int x = 0; x < 320; ++x) p.planes[0].row(y)[x] = canvas.at(x, y).g;
        return p;
    }();
    double last = softnessReading(sharp.planes[0]);
    CHECK(last > 1);
    CHECK(last < 4);
    for (int passes = 1; passes <= 3; ++passes) {
        Plane p = sharp.planes[0].copy();
        for (int i = 0; i < passes * 3; ++i) {
            Plane next = p.copy();
            for (int y = 1; y < 319; ++y)
                for (int x = 1; x < 319; ++x)
                    next.row(y)[x] =
                        (p.at(x - 1, y) + 2 * p.at(x, y) + p.at(x + 1, y) + p.at(x, y - 1) + p.at(x, y + 1)) / 6;
            p = next;
        }
        const double now = softnessReading(p);
        INFO("passes " << passes);
        CHECK(now > last + 0.3);
        last = now;
    }
}

TEST_CASE("deblocking at the reading comes nearer to the master, and hardly touches a clean picture") {
    const Picture master = test::photograph(320, 192, 91);
    for (const double step : {20.0, 32.0, 48.0}) {
        Picture bad = test::photograph(320, 192, 91);
        test::quantiseBlocks(bad, step);
        const double reading = blockingReading(bad.planes[0]);
        Engine engine(0);
        const Plane out =
            engine.pull(*deblock(std::make_shared<Shown>(std::vector{bad}), reading), 0, bad.area, {}).planes[0];
        INFO("step " << step << " reading " << reading << " before " << psnr(master.planes[0], bad.planes[0]));
        CHECK(psnr(master.planes[0], out) > psnr(master.planes[0], bad.planes[0]) + 0.2);
        CHECK(blockingReading(out) < 0.75 * reading);
    }
    Engine engine(0);
    const double reading = blockingReading(master.planes[0]);
    const Plane same =
        engine.pull(*deblock(std::make_shared<Shown>(std::vector{master}), reading), 0, master.area, {}).planes[0];
    CHECK(psnr(master.planes[0], same) > 45);
}

static StagePtr denoisedOverThree(StagePtr s, double noise) {
    return denoise(s, noise, Planes::All, alignedAround(s, s, 1));
}

TEST_CASE("denoising over three frames gains decibels, more than one frame alone can, and keeps motion") {
    const Picture master = test::photograph(256, 160, 55);
    std::vector<Picture> noisy;
    for (std::uint32_t i = 0; i < 3; ++i) {
        noisy.push_back(test::photograph(256, 160, 55));
        test::addNoise(noisy.back(), 8, 100 + i);
    }
    Engine engine(0);
    const double before = psnr(master.planes[0], noisy[1].planes[0]);
    const Plane three =
        engine.pull(*denoisedOverThree(std::make_shared<Shown>(noisy), 8), 1, master.area, {}).planes[0];
    const Plane one =
        engine.pull(*denoise(std::make_shared<Shown>(std::vector{noisy[1]}), 8), 0, master.area, {}).planes[0];
    CHECK(psnr(master.planes[0], three) > before + 4);
    CHECK(psnr(master.planes[0], three) > psnr(master.planes[0], one) + 0.8);
    // Neighbours that show something else altogether must not leak in.
    std::vector<Picture> cut = noisy;
    for (Plane& p : cut[0].planes) p = p.copy();
    for (Plane& p : cut[2].planes) p = p.copy();
    for (const int k : {0, 2})
        for (int y = 0; y < 160; ++y)
            for (int x = 0; x < 256; ++x)
                cut[static_cast<std::size_t>(k)].planes[0].row(y)[x] = float((x / 9 + y / 5 + k) % 2);
    const Plane across = engine.pull(*denoisedOverThree(std::make_shared<Shown>(cut), 8), 1, master.area, {}).planes[0];
    CHECK(psnr(master.planes[0], across) > before + 0.5);
}

TEST_CASE("inspecting a clip tells its fault, advises for it, and finds places inside a window") {
    test::TempFolder folder;
    for (const auto& plan : demo::clipPlans())
        if (plan.name == "wheel" || plan.name == "glaze") demo::makeClip(plan, folder.path(), 3, 0.5, 30);
    const ClipPtr wheel = Clip::openVideo(folder / "wheel.mp4"), glaze = Clip::openVideo(folder / "glaze.mp4");
    double told = 0;
    int parts = 0;
    const Inspection w = inspectClip(wheel, {}, {[&](double d) { told = d; }, [&](const Inspection&) { ++parts; }});
    const Inspection g = inspectClip(glaze, {});
    CHECK(told == 1);
    CHECK(parts == int(w.samples.size()));
    CHECK(w.samples.size() >= 6);
    CHECK(w.readings.blocking > 8);
    CHECK(w.readings.blocking > 5 * g.readings.blocking);
    CHECK(g.readings.noise > 3);
    CHECK(g.kind == "natural");
    CHECK(g.dark);
    CHECK_FALSE(w.dark);
    const auto advises = [](const Inspection& i, const ClipPtr& clip, const std::string& key) {
        return std::ranges::any_of(advise(i, clip->facts()), [&](const Advice& a) { return a.set.contains(key); });
    };
    CHECK(advises(w, wheel, "clean.blocks"));
    CHECK_FALSE(advises(w, wheel, "clean.noise"));
    CHECK(advises(g, glaze, "clean.noise"));
    for (const Advice& a : advise(w, wheel->facts())) {
        CHECK_FALSE(a.risk.empty());
        Ticket t;
        for (const auto& [k, v] : a.set) setByKey(t, k, v); // refuses what it does not know
        for (const auto& [k, v] : a.secondSet) setByKey(t, k, v);
    }
    CHECK(w.framesLooked == 30);
    CHECK(w.movement.change.size() == 30);
    const auto places = choosePlaces(w, {{100, 20, 140, 140}}, 30);
    REQUIRE(places.size() >= 2);
    for (const WatchPlace& p : places) {
        CHECK(Rect{100, 20, 140, 140}.contains({p.x, p.y, 1, 1}));
        CHECK((p.frame >= 0 && p.frame < 30));
    }
    CHECK(std::hypot(places[0].x - places[1].x, places[0].y - places[1].y) >= 30);
    const auto j = toJson(w, wheel->facts());
    for (const char* key : {"file", "readings", "cuts", "duplicates", "kind", "advice"}) CHECK(j.contains(key));
    for (const char* key : {"blocking", "noise_sigma", "softness_px", "ringing", "stairs", "banding", "combing"})
        CHECK(j["readings"].contains(key));
    // What was kept reads back as it was.
    const Inspection again = inspectionFromJson(nlohmann::json::parse(j.dump()), "kept.json");
    CHECK(toJson(again, wheel->facts()) == j);
    auto broken = j;
    broken["movement"]["change"] = "none";
    CHECK_THROWS_AS(inspectionFromJson(broken, "kept.json"), Error);
    const std::string csv = toCsv(w, wheel->facts());
    CHECK(std::ranges::count(csv, '\n') > 15);
    CHECK(csv.find("blocking,\"Blocks\",") != std::string::npos);
    const CancelToken cancel;
    cancel.cancel();
    CHECK_THROWS_AS(inspectClip(wheel, cancel), Cancelled);
}

TEST_CASE("the demo's tickets bring its clips nearer to their masters") {
    test::TempFolder folder;
    for (const auto& plan : demo::clipPlans())
        if (plan.name == "wheel" || plan.name == "glaze" || plan.name == "hands")
            demo::makeClip(plan, folder.path(), 41, 0.5, 20);
    for (const char* name : {"wheel", "glaze", "hands"}) {
        const ClipPtr bad = Clip::openVideo(folder / (std::string(name) + ".mp4"));
        const ClipPtr master = Clip::openVideo(folder / ("masters/" + std::string(name) + "-small.mp4"));
        const auto open = [](const ClipPtr& c) {
            return std::make_shared<FrameReader>(c, PacketDecoder::Threads::Single, std::size_t(32) << 20);
        };
        Ticket t;
        setByAssignment(t, "clean.blocks=measured");
        setByAssignment(t, "clean.noise=measured");
        const DeliveryPtr pMade = resolve(open(bad), inspectClip(bad, {}), t);
        const Delivery& p = *pMade;
        const SourceStage truth(open(master));
        Engine engine(std::size_t(32) << 20);
        double before = 0, after = 0;
        for (const int n : {3, 10, 17}) {
            const Plane m = engine.pull(truth, n, truth.format().frame(), {}).planes[0];
            before += psnr(m, engine.pull(*p.source, n, truth.format().frame(), {}).planes[0]) / 3;
            after += psnr(m, engine.pull(*p.result, n, truth.format().frame(), {}).planes[0]) / 3;
        }
        INFO(name << " before " << before << " dB, after " << after << " dB");
        CHECK(after > before + (std::string(name) == "glaze" ? 3 : 0.15));
    }
}

TEST_CASE("black bars are no part of what is read, and no place to watch lies on them") {
    const test::TempFolder folder;
    const auto texture = [](int x, int y, int n) {
        return 110 + int(60 * std::sin(x * 0.4 + n * 0.3) * std::cos(y * 0.5));
    };
    test::ClipRecipe r;
    r.width = 160, r.height = 128, r.frames = 30;
    r.luma = texture;
    test::writeClip(folder / "plain.mp4", r);
    r.height = 192;
    r.luma = [&](int x, int y, int n) { return y < 32 || y >= 160 ? 16 : texture(x, y - 32, n); };
    test::writeClip(folder / "bars.mp4", r);
    const Inspection plain = inspectClip(Clip::openVideo(folder / "plain.mp4"), {}),
                     bars = inspectClip(Clip::openVideo(folder / "bars.mp4"), {});
    CHECK(bars.inside == Rect{0, 32, 160, 128});
    CHECK(plain.readings.crushed < 1);
    CHECK(bars.readings.crushed < 1);
    CHECK(bars.readings.softness == Approx(plain.readings.softness).margin(0.5));
    CHECK(bars.readings.blocking == Approx(plain.readings.blocking).margin(2));
    REQUIRE_FALSE(bars.candidates.empty());
    for (const WatchPlace& p : bars.candidates) {
        INFO(p.what << " at " << p.x << ", " << p.y);
        CHECK(bars.inside.contains({p.x, p.y, 1, 1}));
    }
    for (const auto& [key, worst] : bars.worst)
        if (!worst.box.empty()) CHECK(worst.box.intersected(bars.inside).pixels() > worst.box.pixels() / 3);
}

TEST_CASE("lost shadows are watched where they end, not in the middle of black") {
    const test::TempFolder folder;
    test::ClipRecipe r;
    r.width = 384, r.height = 192, r.frames = 20;
    r.luma = [](int x, int y, int n) {
        return x >= 32 && x < 288 ? 16 : 110 + int(60 * std::sin(x * 0.4 + n * 0.3) * std::cos(y * 0.5));
    };
    const auto fromEnd = [](int x) { return std::min(std::abs(x - 32), std::abs(x - 288)); };
    test::writeClip(folder / "dark.mp4", r);
    const Inspection i = inspectClip(Clip::openVideo(folder / "dark.mp4"), {});
    CHECK(i.readings.crushed > 50);
    WatchPlace worst;
    for (const WatchPlace& p : i.candidates)
        if (p.what == "crushed") {
            CHECK(fromEnd(p.x) < 64);
            if (worst.what.empty() || p.value > worst.value) worst = p;
        }
    REQUIRE(worst.what == "crushed");
    CHECK(fromEnd(worst.x) < 32);
}
