#include "benchmarks/finishing.h"

#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/finish/clarity_stage.h"
#include "core/finish/colour_stage.h"
#include "core/finish/glow_stage.h"
#include "core/finish/table_stage.h"
#include "core/finish/vignette_stage.h"
#include "core/framing/follow.h"
#include "core/framing/pose.h"
#include "core/inspect/camera.h"
#include "core/inspect/inspection.h"
#include "core/media/frame_convert.h"
#include "core/media/source_stage.h"

#include <ctime>
#include <filesystem>
#include <fstream>

namespace ulm::bench {
namespace {

constexpr int kRounds = 5, kFrames = 24;

// A table of 33 entries a side that turns tones a little.
LookTablePtr someTable(const std::string& path) {
    std::ofstream out(path);
    out << "LUT_3D_SIZE 33\n";
    for (int b = 0; b < 33; ++b)
        for (int g = 0; g < 33; ++g)
            for (int r = 0; r < 33; ++r)
                out << r / 32.0 * 0.95 << ' ' << (g + 0.3 * r) / 41.6 << ' ' << std::min(1.0, b / 32.0 + 0.02) << '\n';
    out.close();
    return loadLookTable(path);
}

} // namespace

std::vector<Row> lightRows(const std::string& master) {
    const ClipPtr clip = Clip::openVideo(master);
    const auto source = std::make_shared<SourceStage>(
        std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(64) << 20));
    PictureFormat f = source->format();
    f.width = 1080, f.height = 1920;
    const double w = source->format().height * 9.0 / 16;
    const auto tall = std::make_shared<ResampleStage>(
        source, ScaleWindow{(source->format().width - w) / 2, 0, w, double(source->format().height), 1080, 1920},
        Kernel::Lanczos, f);
    Engine engine(0);
    std::vector<Picture> frames;
    for (int n = 0; n < kFrames; ++n) frames.push_back(engine.pull(*tall, n, f.frame(), {}));

    VideoEncoding e;
    e.width = 1080, e.height = 1920;
    const std::string path = (std::filesystem::temp_directory_path() / "ulmwood-bench-light.mp4").string();
    std::vector<double> encodes;
    for (int round = 0; round < 3; ++round)
        encodes.push_back(coreSeconds([&] {
                              MovieWriter writer(path, "mp4", e, std::nullopt);
                              for (int n = 0; n < kFrames; ++n)
                                  writer.write(*toFrame(frames[std::size_t(n)], AV_PIX_FMT_YUV420P), n, 1);
                              writer.finish();
                          }) /
                          kFrames);
    const double encode = median(encodes);

    Colour c;
    c.exposure = 0.3, c.contrast = 20, c.shadows = 15, c.warmth = 10, c.saturation = 10, c.vibrance = 30;
    const std::string cube = path + ".cube";
    const LookTablePtr table = someTable(cube);
    const StagePtr in = heldPicture(frames[0]);
    const auto cost = [&](const StagePtr& s) {
        std::vector<double> all;
        for (int round = 0; round < kRounds; ++round)
            all.push_back(coreSeconds([&] { engine.pull(*s, 0, f.frame(), {}); }));
        return median(all);
    };
    const double nothing = cost(in);
    std::vector<Row> rows;
    const auto share = [&](const std::string& what, const StagePtr& s, const std::string& reach, double most) {
        const double took = std::max(0.0, cost(s) - nothing);
        rows.push_back({what, "a frame of 1080×1920, processor time, against that of encoding it (H.264, good)",
                        fixedPoint(took / encode, 3) + "× (" + fixedPoint(1000 * took, 1) + " ms)", reach,
                        took <= most * encode});
    };
    share("light and colour", coloured(in, c), "≤ 0.15×", 0.15);
    share("a look-up table", throughTable(in, table, 1), "", 9);
    share("light, colour, a table and darker corners together", vignette(throughTable(coloured(in, c), table, 1), 0.3),
          "≤ 0.15×", 0.15);
    share("clarity of 20 px", clarity(in, 0.3, 20), "", 9);
    share("clarity of 60 px", clarity(in, 0.3, 60), "", 9);
    share("glow of 20 px", glow(in, 0.3, 0.6, 20), "", 9);
    share("darker corners", vignette(in, 0.3), "", 9);
    share("turned by a quarter", posed(in, poseOf(Size{1080, 1920}, PoseWish{.turn = 90})), "", 9);
    share("straightened by 3°", posed(in, poseOf(Size{1080, 1920}, PoseWish{.degrees = 3})), "", 9);
    std::filesystem::remove(path);
    std::filesystem::remove(cube);
    return rows;
}

std::vector<Row> followRows(const std::string& file) {
    const ClipPtr clip = Clip::openVideo(file);
    const VideoFacts& v = clip->facts().video;
    FrameReader reader(clip, PacketDecoder::Threads::Frames, std::size_t(24) << 20);
    std::vector<Thumbprint> prints;
    for (std::int64_t n = 0; n < clip->frameCount(); ++n)
        prints.push_back(thumbprint(*reader.frame(n, {}).picture, v.colour.fullRange));
    Inspection found;
    double inspect = 1e9, find = 1e9, plan = 1e9, camera = 1e9;
    std::vector<av::SharedFrame> pictures;
    for (std::int64_t n = 0; n < std::min<std::int64_t>(60, clip->frameCount()); ++n)
        pictures.push_back(reader.frame(n, {}).picture);
    for (int round = 0; round < 3; ++round) {
        inspect = std::min(inspect, seconds([&] { found = inspectClip(clip, {}); }));
        Subject s;
        find = std::min(find, seconds([&] {
                            s = findSubject(prints, found.cuts, {found.faces, {}},
                                            {v.rotation, v.mirrored, v.width, v.height}, v.fps);
                        }));
        CameraFinder moves(v);
        camera = std::min(camera, seconds([&] {
                                      for (const av::SharedFrame& p : pictures) moves.add(*p);
                                  }) / double(pictures.size()));
        FollowWish wish;
        for (const SubjectPlace& p : s.places) wish.subject.push_back({p.x, p.y, p.w, p.h});
        wish.cuts = found.cuts;
        wish.fps = v.fps;
        wish.pins = {{0, 0.4 + 0.01 * round, 0.5}}; // another wish each time: paths are kept
        plan = std::min(plan, seconds([&] { planFollow(wish, 0.316, 1); }));
    }
    return {
        {"finding the subject",
         std::to_string(clip->frameCount()) + " frames, against looking the clip over, which it is a part of",
         fixedPoint(find / inspect, 2) + "× (" + fixedPoint(1000 * find / double(clip->frameCount()), 2) +
             " ms a frame)",
         "≤ 1×", find <= inspect},
        {"finding the camera's path", "a frame, against looking the clip over, which it is a part of",
         fixedPoint(camera * double(clip->frameCount()) / inspect, 2) + "× (" + fixedPoint(1000 * camera, 2) + " ms)",
         "≤ 1×", camera * double(clip->frameCount()) <= inspect},
        {"planning a crop's path", "all shots, once; kept after that", fixedPoint(1000 * plan, 1) + " ms", "", true}};
}

} // namespace ulm::bench
