// Gauges and export share one arithmetic of sizes.
#include "core/deliver/export.h"
#include "core/deliver/known_forecasts.h"
#include "core/deliver/size_plan.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::TempFolder;

namespace {

DeliveryPtr deliveryOf(const std::string& clip, std::initializer_list<std::string> settings, double maxMb = 0) {
    Ticket t;
    for (const std::string& s : settings) setByAssignment(t, s);
    std::optional<Target> target;
    if (maxMb > 0) {
        target.emplace();
        target->name = target->title = "limited", target->maxMb = maxMb;
    }
    return resolve(
        std::make_shared<FrameReader>(Clip::openVideo(clip), PacketDecoder::Threads::Frames, std::size_t(32) << 20),
        nullptr, t, target);
}

} // namespace

TEST_CASE("a size plan says how a delivery is encoded, and the export comes out as it says") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = 320, r.height = 192, r.frames = 75, r.sound = true;
    test::writeClip(folder / "a.mp4", r);
    const std::string clip = folder / "a.mp4";
    using Way = SizePlan::Way;
    Engine engine(std::size_t(64) << 20);
    int count = 0;
    const auto made = [&](const DeliveryPtr& d) {
        ExportJob job{clip, folder / (std::to_string(count++) + ".mp4"), d->asked, d->target};
        return exportClip(job, {});
    };
    const DeliveryPtr good = deliveryOf(clip, {"finish.grain.amount=6"});
    CHECK_FALSE(needsForecast(*good));
    CHECK(planSize(*good, nullptr).way == Way::Quality);
    CHECK(planSize(*good, nullptr).expected < 0); // not known without a forecast
    const Forecast f = forecastFor(engine, good, {});
    const SizePlan quality = planSize(*good, &f);
    CHECK(quality.crf == 20);
    CHECK(quality.sound > 0);
    const double bytes = double(made(good).bytes);
    CHECK(quality.expected == Approx(bytes).epsilon(0.1));
    CHECK(quality.least < quality.expected);

    // Half of it is a squeeze, a tenth of the least cannot be, five times as much is no limit.
    const DeliveryPtr half = deliveryOf(clip, {"finish.grain.amount=6"}, bytes / 2e6);
    CHECK(needsForecast(*half));
    CHECK(planSize(*half, nullptr).way == Way::Unknown);
    const SizePlan squeezed = planSize(*half, &f);
    CHECK(squeezed.way == Way::Fit);
    CHECK(squeezed.crf > 20);
    CHECK(squeezed.expected <= bytes / 2);
    const ExportReport landed = made(half);
    CHECK(double(landed.bytes) <= bytes / 2);
    CHECK(landed.encodes > 1);
    CHECK(double(landed.bytes) == Approx(squeezed.expected).epsilon(0.03));
    const SizePlan roomy = planSize(*deliveryOf(clip, {"finish.grain.amount=6"}, 5 * bytes / 1e6), &f);
    CHECK(roomy.way == Way::Quality);
    CHECK(roomy.crf == 20);
    const DeliveryPtr tiny = deliveryOf(clip, {"finish.grain.amount=6"}, quality.sound * 1.02 / 1e6);
    CHECK(planSize(*tiny, &f).way == Way::CannotFit);
    CHECK_THROWS_AS(made(tiny), Error);

    // Carried over to another shape until it has its own: near, and said to be rough.
    const DeliveryPtr larger =
        deliveryOf(clip, {"finish.grain.amount=6", "enlarge.size=640x384", "enlarge.method=lanczos", "stretch.to=1.5"});
    const Forecast rough = carriedOver(f, good->size(), good->frames(), *larger),
                   own = forecastSize(engine, *larger, {20}, {});
    CHECK(planSize(*larger, &rough).rough);
    CHECK_FALSE(quality.rough);
    CHECK(rough.bytesAt(20) == Approx(own.bytesAt(20)).epsilon(0.6));

    // A bitrate needs no forecast, and says its size at once.
    const DeliveryPtr rate = deliveryOf(clip, {"finish.grain.amount=6", "deliver.bitrate=600"});
    const SizePlan byRate = planSize(*rate, nullptr);
    CHECK(byRate.way == Way::Bitrate);
    CHECK(byRate.twoPass);
    CHECK(byRate.expected == Approx(double(made(rate).bytes)).epsilon(0.15));
    CHECK(planSize(*deliveryOf(clip, {"deliver.bitrate=600"}, 0.01), nullptr).way == Way::CannotFit);
    // One that would go over the limit is not taken as it is: the limit wins.
    const auto limitedTo = [&](double share) {
        return deliveryOf(clip, {"finish.grain.amount=6", "deliver.bitrate=600"}, share * byRate.expected / 1e6);
    };
    CHECK(needsForecast(*limitedTo(0.9)));
    CHECK(planSize(*limitedTo(0.9), &f).way != Way::Bitrate);
    CHECK_FALSE(needsForecast(*limitedTo(1.2)));
    CHECK(planSize(*limitedTo(1.2), nullptr).way == Way::Bitrate);
    // A forecast made with filters in the networks' place is trusted less.
    Forecast stand = f;
    stand.standIn = true;
    const double floor = f.bytesAt(33);
    const DeliveryPtr edge =
        deliveryOf(clip, {"finish.grain.amount=6"}, (0.85 * floor + quality.sound + quality.container) / 1e6);
    CHECK(planSize(*edge, &f).way == Way::CannotFit);
    CHECK(planSize(*edge, &stand).way == Way::Fit);
    // What its first samples alone foretell is no reason to say that nothing fits.
    Forecast early = f;
    early.rough = true;
    CHECK(planSize(*edge, &early).way == Way::Fit);
}

TEST_CASE("a forecast tells how far it is, and early what its first samples say") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = 320, r.height = 192, r.frames = 200;
    test::writeClip(folder / "a.mp4", r);
    const DeliveryPtr d = deliveryOf(folder / "a.mp4", {"finish.grain.amount=6"});
    Engine engine(std::size_t(64) << 20);
    std::vector<double> far;
    std::vector<Forecast> early;
    double farAtEarly = 0;
    const Forecast whole = forecastFor(engine, d, {},
                                       {[&](double f) { far.push_back(f); },
                                        [&](const Forecast& f) {
                                            early.push_back(f);
                                            farAtEarly = far.back();
                                        }});
    CHECK(std::ranges::is_sorted(far));
    CHECK(far.front() < 0.02);
    CHECK(far.back() == Approx(1).epsilon(0.001));
    REQUIRE(early.size() == 1);
    CHECK(farAtEarly < 0.5);
    CHECK(early[0].rough);
    CHECK_FALSE(whole.rough);
    CHECK(early[0].bytesAt(20) == Approx(whole.bytesAt(20)).epsilon(0.3));
}

TEST_CASE("forecasts are known to all who need one of the same delivery, the better one stays") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = 160, r.height = 96, r.frames = 40;
    test::writeClip(folder / "a.mp4", r);
    test::writeClip(folder / "b.mp4", {.width = 96, .height = 64, .frames = 20});
    const DeliveryPtr d = deliveryOf(folder / "a.mp4", {"finish.grain.amount=6"}),
                      other = deliveryOf(folder / "a.mp4", {"finish.grain.amount=9"}),
                      elsewhere = deliveryOf(folder / "b.mp4", {"finish.grain.amount=6"});
    const auto with = [](double bytes, bool rough) {
        Forecast f;
        f.points = {{20, bytes}, {33, bytes / 4}};
        f.rough = rough;
        return f;
    };
    KnownForecasts known;
    CHECK_FALSE(known.nearest(*d));
    known.keep(*d, with(9e4, true));
    CHECK_FALSE(known.of(*d));
    CHECK(known.nearest(*d)->bytesAt(20) == Approx(9e4));
    known.keep(*d, with(8e4, false));
    known.keep(*d, with(9e4, true)); // comes too late
    CHECK(known.of(*d)->bytesAt(20) == Approx(8e4));
    CHECK_FALSE(known.of(*other));
    CHECK(known.nearest(*other)->rough);
    CHECK(known.nearest(*other)->bytesAt(20) == Approx(8e4));
    CHECK_FALSE(known.nearest(*elsewhere));

    // An export goes by what is known, and adds what it had to find out.
    const double large = 2.5e6; // wrong on purpose: two passes, where a glance sees that one will do
    const DeliveryPtr limited = deliveryOf(folder / "a.mp4", {"finish.grain.amount=6"}, 1.0);
    const auto encodes = [&](const std::shared_ptr<KnownForecasts>& forecasts, const std::string& name) {
        ExportJob job{folder / "a.mp4", folder / name, limited->asked, limited->target};
        job.forecasts = forecasts;
        return exportClip(job, {}).encodes;
    };
    CHECK(encodes(std::make_shared<KnownForecasts>(), "alone.mp4") == 1);
    const auto shared = std::make_shared<KnownForecasts>();
    shared->keep(*limited, with(large, false));
    CHECK(encodes(shared, "shared.mp4") > 1);
}

TEST_CASE("sound and index are counted as they come") {
    const TempFolder folder;
    test::ClipRecipe r;
    r.width = 64, r.height = 48, r.frames = 250, r.sound = true;
    test::writeClip(folder / "a.mp4", r);
    for (const char* mode : {"sound.mode=keep", "sound.mode=drop"}) {
        const DeliveryPtr d = deliveryOf(folder / "a.mp4", {mode});
        const std::string out = folder / (std::string(mode).substr(11) + ".mp4");
        exportClip({folder / "a.mp4", out, d->asked}, {});
        // What is in the file besides its pictures: read it through a container that tells the packets' bytes.
        const auto clip = Clip::openVideo(out);
        const double rest = double(clip->facts().bytes) - double(clip->facts().video.bitrate) / 8 * d->seconds();
        INFO(mode << ": " << rest << " bytes besides the pictures, " << soundBytes(*d) + containerBytes(*d)
                  << " planned");
        CHECK(soundBytes(*d) + containerBytes(*d) > 0.9 * rest);
        CHECK(soundBytes(*d) + containerBytes(*d) < 1.25 * rest + 1000);
    }
}
