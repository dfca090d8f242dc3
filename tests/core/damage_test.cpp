// How damaged a clip is told to networks: by its own quantisers, by the estimating network, by the ticket.
#include "core/inspect/inspection.h"
#include "core/media/frame_convert.h"
#include "core/media/quantiser.h"
#include "core/model/damage.h"
#include "core/model/shipped_networks.h"
#include "core/pipeline/network_steps.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <vector>

extern "C" {
#include <libavutil/opt.h>
}

using namespace ulm;

namespace {

// The middle frame of a still photograph encoded at this rate factor, as a decoder gives it back.
av::SharedFrame encoded(const test::TempFolder& folder, const Picture& p, const char* encoder, const char* option,
                        const std::string& value) {
    const std::string path = folder / ("q" + value + ".mkv");
    const AVCodec* codec = avcodec_find_encoder_by_name(encoder);
    av::Codec c(avcodec_alloc_context3(codec));
    c->width = p.format.width, c->height = p.format.height;
    c->pix_fmt = AV_PIX_FMT_YUV420P;
    c->time_base = {1, 25};
    av_opt_set(c->priv_data, option, value.c_str(), 0);
    REQUIRE(avcodec_open2(c.get(), codec, nullptr) >= 0);
    av::Codec d(avcodec_alloc_context3(avcodec_find_decoder(codec->id)));
    d->export_side_data |= AV_CODEC_EXPORT_DATA_VIDEO_ENC_PARAMS;
    REQUIRE(avcodec_open2(d.get(), nullptr, nullptr) >= 0);
    std::vector<av::SharedFrame> back;
    const auto drain = [&](bool end) {
        av::Packet packet(av_packet_alloc());
        while (avcodec_receive_packet(c.get(), packet.get()) >= 0) {
            avcodec_send_packet(d.get(), packet.get());
            av_packet_unref(packet.get());
        }
        if (end) avcodec_send_packet(d.get(), nullptr);
        for (av::Frame f(av_frame_alloc()); avcodec_receive_frame(d.get(), f.get()) >= 0; f.reset(av_frame_alloc()))
            back.push_back(av::SharedFrame(f.release(), [](AVFrame* x) { av_frame_free(&x); }));
    };
    for (int n = 0; n < 5; ++n) {
        const av::Frame f = toFrame(p, AV_PIX_FMT_YUV420P);
        f->pts = n;
        avcodec_send_frame(c.get(), f.get());
        drain(false);
    }
    avcodec_send_frame(c.get(), nullptr);
    drain(true);
    REQUIRE(back.size() == 5);
    return back[2];
}

Picture decoded(const AVFrame& f, const Picture& like) {
    Picture p = Picture::make(like.format, like.format.frame());
    toPicture(f, p);
    return p;
}

} // namespace

TEST_CASE("the estimate rises with the encode's rate factor and with noise, each on its own scale") {
    const test::TempFolder folder;
    const Picture clean = test::photograph(320, 240, 71);
    double last = -1;
    for (const int crf : {8, 22, 30, 38}) {
        const DamageLevels l = estimateDamage(
            decoded(*encoded(folder, clean, "libx264", "crf", std::to_string(crf)), clean).planes[0]);
        INFO("rate factor " << crf << ": " << l.compression << ", noise " << l.noise);
        CHECK(l.compression > last);
        CHECK(l.noise < 0.2);
        last = l.compression;
    }
    CHECK(last > 0.5); // 0.93 is meant
    last = -1;
    for (const double sigma : {0.0, 3.0, 7.0, 12.0}) {
        Picture p = clean;
        p.planes[0] = clean.planes[0].copy();
        if (sigma > 0) test::addNoise(p, sigma, 8);
        const DamageLevels l = estimateDamage(p.planes[0]);
        INFO("sigma " << sigma << ": " << l.noise << ", compression " << l.compression);
        CHECK(l.noise > last);
        CHECK(l.noise * kNoiseOfLevel == Approx(sigma).margin(3));
        last = l.noise;
    }
}

TEST_CASE("nothing is estimated without the network, or of a picture too small for it") {
    CHECK(estimateDamage(test::photograph(60, 200, 3).planes[0]) == DamageLevels{});
    const WithoutShippedNetworks missing;
    CHECK(estimateDamage(test::photograph(320, 240, 3).planes[0]) == DamageLevels{});
}

TEST_CASE("the mean quantiser is the one the encoder used, and only H.264 tells it") {
    const test::TempFolder folder;
    const Picture p = test::photograph(160, 128, 6);
    for (const int q : {12, 26, 40}) {
        const auto told = meanQuantiser(*encoded(folder, p, "libx264", "qp", std::to_string(q)));
        REQUIRE(told);
        CHECK(*told == Approx(q).margin(3.5)); // frames between others take a little more
    }
    CHECK_FALSE(meanQuantiser(*encoded(folder, p, "ffv1", "slicecrc", "0")));
}

TEST_CASE("a ticket needs readings where a value is measured or a network is to be told of damage") {
    const auto needs = [](std::initializer_list<const char*> settings) {
        Ticket t;
        for (const char* s : settings) setByAssignment(t, s);
        return needsReadings(t);
    };
    CHECK_FALSE(needs({}));
    CHECK_FALSE(needs({"finish.sharpen.amount=1", "frame.aspect=9:16"}));
    CHECK(needs({"clean.noise=measured"}));
    CHECK(needs({"clean.banding=nudge:+3"}));
    const std::initializer_list<const char*> fixed = {"clean.blocks=3", "clean.noise=2", "clean.noise_chroma=0"};
    CHECK_FALSE(needs(fixed));
    CHECK(needs({"clean.blocks=3", "clean.noise=2", "clean.noise_chroma=0", "clean.method=learned"}));
    CHECK(needs({"enlarge.scale=2"}));
    CHECK_FALSE(needs({"enlarge.scale=2", "enlarge.method=spline36"}));
    CHECK_FALSE(needs({"enlarge.scale=2", "enlarge.on=false"}));
}

TEST_CASE("which network treats a clip follows its readings until the ticket says otherwise") {
    Ticket t;
    Readings r;
    CHECK(networkKind(t, r) == "general");
    r.compression = 44;
    CHECK(networkKind(t, r) == "general");
    r.compression = 46;
    CHECK(networkKind(t, r) == "rough");
    r.compression = 0;
    r.grain = 6;
    CHECK(networkKind(t, r) == "rough");
    r.drawn = true;
    CHECK(networkKind(t, r) == "drawn");
    t.enlarge.kind = "general";
    CHECK(networkKind(t, r) == "general");
}
