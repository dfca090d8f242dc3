// Sound beside its pictures: when it begins, what changes on the way, tracks that end early.
#include "core/deliver/export.h"
#include "core/media/sound_reader.h"
#include "core/ticket/sound_step.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>

using namespace ulm;
using test::SoundRecipe;
using test::TempFolder;

namespace {

// Seconds of a file's own clock at which its first track is first louder than a tenth of what it reaches.
double onset(const std::string& path) {
    const PlainSound s = readSound(path, 60, {});
    int most = 0;
    for (const auto v : s.samples) most = std::max(most, std::abs(int(v)));
    for (std::size_t i = 0; i < s.samples.size(); ++i)
        if (std::abs(int(s.samples[i])) * 10 > most) return s.startsAt + double(i / 2) / PlainSound::kRate;
    return -1;
}

// Root mean square of a span, as a share of full scale.
double loudness(const PlainSound& s, double from, double to) {
    double sum = 0;
    std::size_t n = 0;
    const auto at = [&](double t) { return static_cast<std::size_t>(std::max(0.0, t - s.startsAt) * s.kRate) * 2; };
    for (std::size_t i = at(from); i < std::min(at(to), s.samples.size()); ++i, ++n)
        sum += double(s.samples[i]) * s.samples[i];
    return n ? std::sqrt(sum / double(n)) / 32768 : 0;
}

// Zero crossings a second tell a sine's pitch.
double pitch(const PlainSound& s, double from, double to) {
    int crossings = 0;
    const auto at = [&](double t) { return static_cast<std::size_t>(std::max(0.0, t - s.startsAt) * s.kRate) * 2; };
    for (std::size_t i = at(from) + 2; i < std::min(at(to), s.samples.size()); i += 2)
        crossings += (s.samples[i] >= 0) != (s.samples[i - 2] >= 0);
    return crossings / (to - from) / 2;
}

void join(const std::string& a, const std::string& b, const std::string& to) {
    std::ofstream out(to, std::ios::binary);
    out << std::ifstream(a, std::ios::binary).rdbuf() << std::ifstream(b, std::ios::binary).rdbuf();
}

} // namespace

TEST_CASE("sound encoded anew begins when it did, to within five milliseconds") {
    TempFolder folder;
    for (const auto& [codec, file] : std::vector<std::pair<std::string, std::string>>{
             {"pcm_s16le", "in.mkv"}, {"aac", "in.mp4"}, {"ac3", "in.mkv"}}) {
        INFO(codec);
        test::ClipRecipe r;
        r.frames = 50;
        SoundRecipe s;
        s.codec = codec;
        s.begins = 0.7;
        r.tracks = {s};
        test::writeClip(folder / file, r);
        const double began = onset(folder / file); // AC-3's own encoder starts five milliseconds late
        CHECK(began == Approx(0.7).margin(0.006));
        Ticket t;
        setByAssignment(t, "sound.mode=aac");
        ExportJob job{folder / file, folder / "out.mp4", t};
        job.replace = true;
        exportClip(job, {});
        CHECK(onset(folder / "out.mp4") == Approx(began).margin(0.005));
        // Of a stretch, too.
        setByAssignment(job.ticket, "stretch.from=0.4");
        setByAssignment(job.ticket, "stretch.to=1.6");
        exportClip(job, {});
        CHECK(onset(folder / "out.mp4") == Approx(began - 0.4).margin(0.005));
        CHECK(Clip::openVideo(folder / "out.mp4")->facts().duration == Approx(1.2).margin(0.03));
    }
}

TEST_CASE("a file whose whole clock starts late is delivered from zero, its sound still beside its pictures") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 50;
    r.offset = 3;
    SoundRecipe s;
    s.codec = "pcm_s16le";
    s.begins = 0.7;
    r.tracks = {s};
    test::writeClip(folder / "in.mkv", r);
    const double fromFirstPicture = onset(folder / "in.mkv") - Clip::openVideo(folder / "in.mkv")->fileSecondsAt(0);
    CHECK(fromFirstPicture == Approx(0.7).margin(0.006));
    Ticket t;
    setByAssignment(t, "sound.mode=aac");
    exportClip({folder / "in.mkv", folder / "out.mp4", t}, {});
    CHECK(Clip::openVideo(folder / "out.mp4")->fileSecondsAt(0) == Approx(0).margin(0.001));
    CHECK(onset(folder / "out.mp4") == Approx(0.7).margin(0.006));
}

TEST_CASE("sound that starts late stays late") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 50;
    SoundRecipe s;
    s.codec = "pcm_s16le";
    s.from = 0.5;
    r.tracks = {s};
    test::writeClip(folder / "in.mkv", r);
    exportClip({folder / "in.mkv", folder / "out.mp4", Ticket{}}, {});
    CHECK(onset(folder / "out.mp4") == Approx(0.5).margin(0.005));
}

TEST_CASE("sound that changes rate and channels on the way is said, and goes on at its own pitch, in time") {
    TempFolder folder;
    test::ClipRecipe first, second;
    first.frames = second.frames = 25;
    first.muxer = second.muxer = "mpegts";
    SoundRecipe mono, stereo;
    mono.rate = 32000;
    mono.channels = 1;
    first.tracks = {mono};
    second.tracks = {stereo};
    second.offset = 1;
    test::writeClip(folder / "a.ts", first);
    test::writeClip(folder / "b.ts", second);
    join(folder / "a.ts", folder / "b.ts", folder / "in.ts");
    const ClipPtr clip = Clip::openVideo(folder / "in.ts");
    REQUIRE(clip->facts().audio.size() == 1);
    CHECK(clip->facts().audio[0].changes);
    CHECK_FALSE(Clip::openVideo(folder / "a.ts")->facts().audio[0].changes);
    const ExportReport report = exportClip({folder / "in.ts", folder / "out.mp4", Ticket{}}, {});
    CHECK(report.remarks.back().find("changes its rate or channels") != std::string::npos);
    const PlainSound s = readSound(folder / "out.mp4", 10, {});
    for (const double at : {0.2, 0.5, 1.2, 1.6}) {
        INFO(at);
        CHECK(pitch(s, at, at + 0.25) == Approx(440).margin(5));
        CHECK(loudness(s, at, at + 0.25) == Approx(0.3 / std::sqrt(2)).epsilon(0.15));
    }
    // What reads sound for playing and for readings goes on, too.
    CHECK(pitch(readSound(folder / "in.ts", 10, {}), 1.2 + clip->fileSecondsAt(0), 1.5 + clip->fileSecondsAt(0)) ==
          Approx(440).margin(5));
}

TEST_CASE("several tracks go along; one that ends early ends early, and one no MP4 carries is encoded") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 75;
    SoundRecipe whole, shorter, pcm;
    shorter.to = 0.8;
    pcm.codec = "pcm_s16le";
    pcm.channels = 1;
    r.tracks = {whole, shorter, pcm};
    test::writeClip(folder / "in.mkv", r);
    for (const char* mode : {"keep", "aac"}) {
        INFO(mode);
        Ticket t;
        setByAssignment(t, std::string("sound.mode=") + mode);
        ExportJob job{folder / "in.mkv", folder / "out.mp4", t};
        job.replace = true;
        exportClip(job, {});
        const ClipPtr out = Clip::openVideo(folder / "out.mp4");
        REQUIRE(out->facts().audio.size() == 3);
        CHECK(out->facts().audio[2].codec == "aac");
        CHECK(out->facts().audio[2].channels == 1);
        CHECK(out->frameCount() == 75);
        const av::Input file = openInput(folder / "out.mp4");
        const auto seconds = [&](int n) {
            const AVStream& s = *file->streams[out->facts().audio[static_cast<std::size_t>(n)].stream];
            return double(s.duration) * av_q2d(s.time_base);
        };
        CHECK(seconds(0) == Approx(3.0).margin(0.05));
        CHECK(seconds(1) == Approx(0.8).margin(0.05));
        CHECK(seconds(2) == Approx(3.0).margin(0.05));
    }
}

TEST_CASE("sound runs as fast as its pictures, at its own pitch, and stays beside them") {
    TempFolder folder;
    test::ClipRecipe r;
    r.frames = 100;
    SoundRecipe s;
    s.begins = 1;
    r.tracks = {s};
    test::writeClip(folder / "in.mp4", r);
    for (const int speed : {25, 50, 80, 200, 400}) {
        INFO(speed << " %");
        Ticket t;
        setByAssignment(t, "motion.speed=" + std::to_string(speed));
        setByAssignment(t, "motion.method=hold");
        ExportJob job{folder / "in.mp4", folder / "out.mp4", t};
        job.replace = true;
        exportClip(job, {});
        const double times = 100.0 / speed;
        const ClipPtr out = Clip::openVideo(folder / "out.mp4");
        CHECK(out->secondsAt(out->frameCount()) == Approx(4 * times).margin(0.05));
        CHECK(onset(folder / "out.mp4") == Approx(times).margin(0.045)); // stretching smears what begins
        const PlainSound heard = readSound(folder / "out.mp4", 60, {});
        CHECK(pitch(heard, 1.5 * times, 3.5 * times) == Approx(440).margin(6));
        CHECK(heard.startsAt + double(heard.samples.size()) / 2 / PlainSound::kRate == Approx(4 * times).margin(0.12));
        const auto told = soundRemarks(t, Clip::openVideo(folder / "in.mp4")->facts());
        REQUIRE(told.size() == 1);
        CHECK(told.front().find("own pitch") != std::string::npos);
    }
    // Of a stretch, only that.
    Ticket t;
    for (const char* set : {"motion.speed=50", "motion.method=hold", "stretch.from=0.5", "stretch.to=1.5"})
        setByAssignment(t, set);
    ExportJob job{folder / "in.mp4", folder / "part.mp4", t};
    exportClip(job, {});
    CHECK(onset(folder / "part.mp4") == Approx(1).margin(0.06));
}
