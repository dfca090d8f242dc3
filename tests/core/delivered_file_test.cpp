// What lies in a delivered file, read packet by packet with libavformat alone.
#include "core/deliver/export.h"
#include "core/media/av.h"
#include "core/media/decoder.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"

#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>
#include <map>

using namespace ulm;
using test::ClipRecipe;
using test::TempFolder;
using test::writeClip;

namespace {

struct Packets {
    std::vector<std::int64_t> pts, dts, keys; ///< of pictures, in 1/1000000 s
    std::vector<double> sound;                ///< starts of sound packets, seconds
    double soundEnd = 0;
    AVCodecParameters* video = avcodec_parameters_alloc();
    ~Packets() { avcodec_parameters_free(&video); }
};

std::unique_ptr<Packets> packetsOf(const std::string& path) {
    auto p = std::make_unique<Packets>();
    AVFormatContext* f = nullptr;
    REQUIRE(avformat_open_input(&f, path.c_str(), nullptr, nullptr) == 0);
    REQUIRE(avformat_find_stream_info(f, nullptr) >= 0);
    const int video = av_find_best_stream(f, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    avcodec_parameters_copy(p->video, f->streams[video]->codecpar);
    const av::Packet packet(av_packet_alloc());
    while (av_read_frame(f, packet.get()) >= 0) {
        const AVRational base = f->streams[packet->stream_index]->time_base;
        const auto at = [&](std::int64_t t) { return av_rescale_q(t, base, {1, 1000000}); };
        if (packet->stream_index == video) {
            p->pts.push_back(at(packet->pts));
            p->dts.push_back(at(packet->dts));
            if (packet->flags & AV_PKT_FLAG_KEY) p->keys.push_back(at(packet->pts));
        } else {
            p->sound.push_back(double(at(packet->pts)) / 1e6);
            p->soundEnd = double(at(packet->pts + packet->duration)) / 1e6;
        }
        av_packet_unref(packet.get());
    }
    avformat_close_input(&f);
    return p;
}

// Top-level boxes of an MP4 in their order, and their sizes.
std::vector<std::pair<std::string, std::uint64_t>> boxesOf(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    std::vector<std::pair<std::string, std::uint64_t>> boxes;
    unsigned char head[8];
    std::uint64_t at = 0;
    while (in.seekg(static_cast<std::streamoff>(at)) && in.read(reinterpret_cast<char*>(head), 8)) {
        std::uint64_t size = std::uint64_t(head[0]) << 24 | head[1] << 16 | head[2] << 8 | head[3];
        boxes.emplace_back(std::string(reinterpret_cast<char*>(head) + 4, 4), size);
        if (size < 8) break;
        at += size;
    }
    return boxes;
}

std::string exported(const TempFolder& folder, const std::string& clip, const std::vector<const char*>& settings) {
    Ticket t;
    for (const char* s : settings) setByAssignment(t, s);
    ExportJob job{clip, folder / "out.mp4", t};
    job.replace = true;
    exportClip(job, {});
    return job.output;
}

} // namespace

TEST_CASE("a delivered file starts at once, and its boxes fill it exactly") {
    TempFolder folder;
    writeClip(folder / "a.mp4", {.frames = 30, .sound = true});
    const std::string out = exported(folder, folder / "a.mp4", {"enlarge.scale=2"});
    const auto boxes = boxesOf(out);
    std::map<std::string, std::size_t> at;
    std::uint64_t all = 0;
    for (std::size_t i = 0; i < boxes.size(); ++i) at[boxes[i].first] = i, all += boxes[i].second;
    REQUIRE(at.contains("moov"));
    REQUIRE(at.contains("mdat"));
    CHECK(at["ftyp"] == 0);
    CHECK(at["moov"] < at["mdat"]);
    CHECK(all == std::filesystem::file_size(out));
}

TEST_CASE("pictures start at zero, follow each other evenly, and a key frame comes at least every five seconds") {
    TempFolder folder;
    writeClip(folder / "a.mp4", {.frames = 290, .fps = {25, 1}, .gop = 250});
    const auto p = packetsOf(exported(folder, folder / "a.mp4", {"enlarge.scale=1.5"}));
    REQUIRE(p->pts.size() == 290);
    for (std::size_t i = 1; i < p->dts.size(); ++i) CHECK(p->dts[i] > p->dts[i - 1]);
    auto shown = p->pts;
    std::ranges::sort(shown);
    CHECK(shown.front() == 0);
    for (std::size_t i = 1; i < shown.size(); ++i) CHECK(shown[i] - shown[i - 1] == 40000);
    REQUIRE(p->keys.size() >= 3);
    CHECK(p->keys.front() == 0);
    for (std::size_t i = 1; i < p->keys.size(); ++i) CHECK(p->keys[i] - p->keys[i - 1] <= 5000000);
}

TEST_CASE("sound starts and ends with the pictures, kept or made anew, whole or cut to a stretch") {
    TempFolder folder;
    writeClip(folder / "a.mp4", {.frames = 75, .sound = true});
    for (const char* mode : {"sound.mode=keep", "sound.mode=aac"}) {
        INFO(mode);
        const auto whole = packetsOf(exported(folder, folder / "a.mp4", {mode}));
        REQUIRE_FALSE(whole->sound.empty());
        CHECK(std::abs(whole->sound.front()) < 0.06); // an AAC frame of priming may stand before zero
        CHECK(whole->soundEnd == Approx(3.0).margin(0.06));
        const auto cut = packetsOf(exported(folder, folder / "a.mp4", {mode, "stretch.from=1.0", "stretch.to=2.2"}));
        CHECK(cut->pts.size() == 30);
        CHECK(std::abs(cut->sound.front()) < 0.06);
        CHECK(cut->soundEnd == Approx(1.2).margin(0.06));
        for (std::size_t i = 1; i < cut->sound.size(); ++i) CHECK(cut->sound[i] > cut->sound[i - 1]);
    }
    CHECK(packetsOf(exported(folder, folder / "a.mp4", {"sound.mode=drop"}))->sound.empty());
}

TEST_CASE("colour tags of the source reach the file, through every step") {
    TempFolder folder;
    const ColourDescription rec2020{9, 16, 9, false, 1}, rec601{6, 6, 6, false, 1}, rec709{1, 1, 1, false, 1};
    for (const ColourDescription& colour : {rec2020, rec601, rec709}) {
        ClipRecipe r{.frames = 4};
        r.colour = colour;
        r.format = colour.primaries == 9 ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
        writeClip(folder / "a.mp4", r);
        for (const bool worked : {false, true}) {
            const auto p = worked
                               ? packetsOf(exported(folder, folder / "a.mp4",
                                                    {"clean.noise=3", "enlarge.scale=2", "finish.sharpen.amount=0.5"}))
                               : packetsOf(exported(folder, folder / "a.mp4", {}));
            CHECK(p->video->color_primaries == colour.primaries);
            CHECK(p->video->color_trc == colour.transfer);
            CHECK(p->video->color_space == colour.matrix);
            CHECK(p->video->color_range == AVCOL_RANGE_MPEG);
            CHECK(av_pix_fmt_desc_get(static_cast<AVPixelFormat>(p->video->format))->comp[0].depth ==
                  (colour.primaries == 9 ? 10 : 8));
        }
        std::filesystem::remove(folder / "a.mp4");
    }
}

TEST_CASE("a clip that does not tell its colours keeps them through sizes that players would take for others") {
    TempFolder folder;
    ClipRecipe r{.frames = 3};
    r.width = 640;
    r.height = 360;
    writeClip(folder / "small.mp4", r);
    const auto colourOf = [&](const std::string& file, int n) { // as a player shows it
        const ClipPtr clip = Clip::openVideo(file);
        const StagePtr rgb = asRgb(std::make_shared<SourceStage>(
            std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(8) << 20)));
        Engine engine(0);
        const Picture p = engine.pull(*rgb, n, rgb->format().frame(), {});
        std::array<double, 3> mean{};
        for (std::size_t c = 0; c < 3; ++c) {
            for (int y = p.area.h / 2; y < p.area.h; ++y)
                for (int x = 0; x < p.area.w; ++x) mean[c] += double(p.planes[c].row(y)[x]);
            mean[c] /= double(p.area.h - p.area.h / 2) * p.area.w;
        }
        return mean;
    };
    CHECK(Clip::openVideo(folder / "small.mp4")->facts().video.colourAssumed);
    const auto small = colourOf(folder / "small.mp4", 1);
    const auto p = packetsOf(exported(folder, folder / "small.mp4", {"enlarge.scale=2.5"}));
    CHECK(p->video->height == 900);
    CHECK(p->video->color_space == AVCOL_SPC_SMPTE170M);
    CHECK(p->video->color_primaries == AVCOL_PRI_BT709);
    CHECK(p->video->color_trc == AVCOL_TRC_BT709);
    const auto large = colourOf(folder / "out.mp4", 1);
    for (std::size_t c = 0; c < 3; ++c) CHECK(large[c] == Approx(small[c]).margin(0.004));
    // Shrunk below 720 lines, the other way round.
    r.width = 1280;
    r.height = 720;
    writeClip(folder / "tall.mp4", r);
    CHECK(packetsOf(exported(folder, folder / "tall.mp4", {"enlarge.scale=1", "frame.size=640x360"}))
              ->video->color_space == AVCOL_SPC_BT709);
}

TEST_CASE("full range stays full range, and says so") {
    TempFolder folder;
    ClipRecipe r{.frames = 3};
    r.format = AV_PIX_FMT_YUVJ420P;
    writeClip(folder / "a.mp4", r);
    REQUIRE(Clip::openVideo(folder / "a.mp4")->facts().video.colour.fullRange);
    for (const bool worked : {false, true}) {
        const auto p = packetsOf(
            exported(folder, folder / "a.mp4",
                     worked ? std::vector<const char*>{"finish.sharpen.amount=0.5"} : std::vector<const char*>{}));
        CHECK(p->video->color_range == AVCOL_RANGE_JPEG);
        const auto mean = [](const std::string& file) {
            const ClipPtr clip = Clip::openVideo(file);
            const DecodedFrame f = FrameReader(clip, PacketDecoder::Threads::Single, 1 << 20).frame(0, {});
            double sum = 0;
            for (int y = 16; y < 64; ++y)
                for (int x = 0; x < 96; ++x) sum += f.picture->data[0][y * f.picture->linesize[0] + x];
            return sum / (48 * 96);
        };
        CHECK(mean(folder / "out.mp4") == Approx(mean(folder / "a.mp4")).margin(2)); // codes, not only tags
    }
}

TEST_CASE("what a size limit leaves is used, the file is as long as reported, and no frame is lost for it") {
    TempFolder folder;
    writeClip(folder / "a.mp4", {.width = 320, .height = 240, .frames = 150});
    const std::string free = exported(folder, folder / "a.mp4", {"deliver.quality=best"});
    const double best = double(std::filesystem::file_size(free));
    for (const double share : {0.85, 0.7}) {
        const std::string limit = "deliver.size_mb=" + std::to_string(best * share / 1e6);
        Ticket t;
        setByAssignment(t, limit);
        ExportJob job{folder / "a.mp4", folder / "limited.mp4", t};
        job.replace = true;
        const ExportReport r = exportClip(job, {});
        CHECK(r.bytes <= r.limitBytes);
        CHECK(double(r.bytes) >= 0.93 * double(r.limitBytes));
        CHECK(std::int64_t(std::filesystem::file_size(job.output)) == r.bytes);
        CHECK(packetsOf(job.output)->pts.size() == 150);
    }
}
