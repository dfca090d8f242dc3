#include "demo/clips.h"

#include "core/base/files.h"
#include "core/deliver/movie_writer.h"
#include "demo/damage.h"

#include <filesystem>
#include <tbb/parallel_invoke.h>

namespace ulm::demo {
namespace {
namespace fs = std::filesystem;

VideoEncoding encoding(int w, int h, int fps, double crf, const char* preset) {
    VideoEncoding e;
    e.width = w;
    e.height = h;
    e.colour = {1, 1, 1, false, 1};
    e.timeBase = {1, fps * 512};
    e.fps = fps;
    e.crf = crf;
    e.preset = preset;
    return e;
}

// What happened to each clip on its way, before its last encode.
class Damage {
public:
    Damage(const std::string& name, int w, int h) : name_(name) {
        if (name == "wheel") trip_ = std::make_unique<BlockyTrip>(w, h, 9);
        if (name == "hands") trip_ = std::make_unique<BlockyTrip>(w, h, 5);
        if (name == "ident") trip_ = std::make_unique<BlockyTrip>(w, h, 7);
    }
    static double lastCrf(const std::string& name) {
        return name == "kiln" ? 25 : name == "glaze" ? 19 : name == "shelf" ? 22 : 17;
    }

    av::Frame apply(const Canvas& master, const Canvas& half, int n) {
        Canvas c = name_ == "shelf" ? decimated(master) : half;
        if (name_ == "shelf") soften(c, 0.75f);
        if (name_ == "glaze") {
            fewerLevels(c, 40);
            spreadNoise(c, 6.5f, static_cast<std::uint32_t>(n));
        }
        if (name_ == "kiln") spreadNoise(c, 1.5f, static_cast<std::uint32_t>(n));
        if (name_ == "ident") oversharpen(c, 0.9f, 1.2f);
        const av::Frame f = toFrame420(c);
        return trip_ ? trip_->through(*f) : av::Frame(av_frame_clone(f.get()));
    }

private:
    std::string name_;
    std::unique_ptr<BlockyTrip> trip_;
};

// `hands` repeats every fifth frame, as a 20 fps recording in a 24 fps file does.
double shownTime(const ClipPlan& p, int n) {
    if (p.name == "hands" && n % 5 == 4) --n;
    return double(n) / p.fps;
}

} // namespace

const std::vector<ClipPlan>& clipPlans() {
    static const std::vector<ClipPlan> plans = {
        {"wheel", makeWheel, 1280, 720, 25, 8.0, {8.0, 0.05, 0.012, 0.25, 0, 0, 11}, "sparrowgate"},
        {"glaze", makeGlaze, 720, 1280, 25, 8.2, {8.2, 0.02, 0.03, 0.2, 0.1, 0, 12}, "sparrowgate"},
        {"shelf", makeShelf, 1280, 720, 25, 8.4, {8.4, 0.01, 0.01, 0.3, 0.15, 0, 13}, "lanternway"},
        {"kiln", makeKiln, 720, 1280, 25, 8.0, {8.0, 0.08, 0.03, 0, 0.05, 0, 14}, "sparrowgate"},
        {"hands", makeHands, 1280, 720, 24, 8.4, {8.4, 0.03, 0.01, 0.3, 0.2, 0, 15}, "cobblecast"},
        {"ident", makeIdent, 960, 960, 25, 8.0, {8.0, 0, 0.002, 0, 0.05, 0.4, 16}, "shop-window"}};
    return plans;
}

Ticket clipTicket(const std::string& name) {
    Ticket t;
    const auto set = [&](std::initializer_list<const char*> all) {
        for (const char* a : all) setByAssignment(t, a);
    };
    if (name == "wheel")
        set({"clean.blocks=measured", "clean.noise=measured", "enlarge.scale=3", "frame.aspect=9:16",
             "frame.size=1080x1920", "finish.sharpen.amount=0.5", "finish.sharpen.radius=1.4"});
    if (name == "glaze")
        set({"clean.noise=nudge:+1", "clean.blocks=measured", "enlarge.scale=3", "frame.aspect=9:16",
             "frame.size=1080x1920", "finish.sharpen.amount=0.3"});
    if (name == "shelf")
        set({"clean.blocks=measured", "enlarge.scale=3", "finish.sharpen.amount=1.1", "finish.sharpen.radius=1.8"});
    if (name == "kiln")
        set({"clean.noise=measured", "clean.blocks=measured", "enlarge.scale=3", "frame.aspect=9:16",
             "frame.size=1080x1920", "finish.sharpen.amount=0.4"});
    if (name == "hands")
        set({"clean.blocks=measured", "enlarge.scale=2", "frame.aspect=4:5", "frame.size=1080x1350", "frame.fill=blur",
             "finish.sharpen.amount=0.4"});
    if (name == "ident")
        set({"clean.blocks=nudge:+6", "enlarge.scale=2", "finish.sharpen.amount=0.2", "deliver.quality=best"});
    return t;
}

void makeClip(const ClipPlan& p, const std::string& folder, std::uint32_t seed, double scale, int limit) {
    fs::create_directories(fs::path(folder) / "masters");
    const auto even4 = [&](int v) { return std::max(64, static_cast<int>(v * scale) / 4 * 4); };
    const int w = even4(p.masterW), h = even4(p.masterH),
              frames = std::min(limit, static_cast<int>(p.seconds * p.fps + 0.5));
    const std::unique_ptr<Scene> scene = p.make(w, h, seed);
    const std::string wav = (fs::path(folder) / ("." + p.name + ".wav")).string();
    SoundPlan heard = p.sound;
    heard.seconds = double(frames) / p.fps;
    writeWav(synthesise(heard), wav);
    const SoundSource sound{wav, {{0, {SoundWay::Encoded, 1}}}};
    const auto path = [&](const std::string& name) { return (fs::path(folder) / name).string(); };
    {
        MovieWriter master(path("masters/" + p.name + ".mp4"), "mp4", encoding(w, h, p.fps, 10, "ultrafast"), sound);
        MovieWriter small(path("masters/" + p.name + "-small.mp4"), "mp4",
                          encoding(w / 2, h / 2, p.fps, 8, "ultrafast"), sound);
        MovieWriter damaged(path(p.name + ".mp4"), "mp4",
                            encoding(w / 2, h / 2, p.fps, Damage::lastCrf(p.name), "superfast"), sound);
        Damage damage(p.name, w / 2, h / 2);
        Canvas c(w, h);
        double drawn = -1;
        for (int n = 0; n < frames; ++n) {
            if (const double t = shownTime(p, n); t != drawn) scene->draw(drawn = t, c);
            const std::int64_t pts = std::int64_t(n) * 512;
            const Canvas half = halved(c);
            tbb::parallel_invoke([&] { master.write(*toFrame420(c), pts, 512); },
                                 [&] { small.write(*toFrame420(half), pts, 512); },
                                 [&] { damaged.write(*damage.apply(c, half, n), pts, 512); });
        }
        master.finish();
        small.finish();
        damaged.finish();
    }
    fs::remove(wav);
    saveTicket(clipTicket(p.name), path(p.name + ".ticket.json"));
    writeFileWhole(path(p.name + ".target"), p.target + "\n");
}

} // namespace ulm::demo
