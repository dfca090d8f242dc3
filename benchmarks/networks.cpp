#include "benchmarks/networks.h"

#include "core/deliver/movie_writer.h"
#include "core/engine/engine.h"
#include "core/engine/resample_stage.h"
#include "core/enlarge/network_stage.h"
#include "core/media/frame_convert.h"
#include "core/media/source_stage.h"
#include "core/model/built_in_networks.h"
#include "core/model/onnx_file.h"
#include "core/model/opencv_runner.h"
#include "core/model/shipped_networks.h"

#include <algorithm>
#include <omp.h>
#include <oneapi/dnnl/dnnl.hpp>
#include <tbb/parallel_for.h>

namespace ulm::bench {
namespace {

constexpr int kWidth = 540, kHeight = 960, kRounds = 5;

template <class F>
double quietest(F f) {
    double best = 1e9;
    for (int k = 0; k < kRounds; ++k) best = std::min(best, seconds(f));
    return best;
}

// The whole frame in tiles with their margins, over all cores, as the stage does it.
double ourFrame(const Network& net) {
    const int wide = networkTile(kWidth, net.align()), high = networkTile(kHeight, net.align());
    struct Tile {
        int rows, columns;
    };
    std::vector<Tile> tiles;
    const auto whole = [&](int side) { return (side + 15) / 16 * 16 + 2 * net.margin(); };
    for (int y = 0; y < kHeight; y += high)
        for (int x = 0; x < kWidth; x += wide)
            tiles.push_back({whole(std::min(high, kHeight - y)), whole(std::min(wide, kWidth - x))});
    const std::size_t most = std::size_t(whole(wide)) * whole(high);
    const std::vector<float> picture(net.inputChannels() * most, 0.4f);
    return quietest([&] {
        tbb::parallel_for(std::size_t(0), tiles.size(), [&](std::size_t k) {
            std::vector<float> result(4 * most);
            net.run(picture.data(), tiles[k].rows, tiles[k].columns, result.data());
        });
    });
}

double opencvFrame(const std::string& name) {
    for (const BuiltInNetwork& b : builtInNetworks())
        if (name == b.name) {
            const auto bytes = std::as_bytes(std::span(b.bytes, b.end));
            const int channels = shippedNetwork(name)->inputChannels();
            const OpencvRunner runner(bytes, name, "", channels);
            const std::vector<float> picture(std::size_t(channels) * kWidth * kHeight, 0.4f);
            std::vector<float> out(std::size_t(4) * kWidth * kHeight);
            return quietest([&] { runner.run(picture.data(), kHeight, kWidth, out.data()); });
        }
    return 0;
}

double macs(const std::string& name, int rows, int columns) {
    double sum = 0;
    for (const BuiltInNetwork& b : builtInNetworks())
        if (name == b.name) {
            const NetGraph g = readOnnx(std::as_bytes(std::span(b.bytes, b.end)), name);
            const auto sizes = sizesFor(g, rows, columns, name);
            for (const NetNode& n : g.nodes)
                if (n.op == NetOp::Conv) {
                    const NetSize& s = sizes[std::size_t(n.out)];
                    sum += double(n.weights.size()) * s.rows * s.columns;
                }
        }
    return sum;
}

// Multiplications a second of one 3×3 convolution in layouts of oneDNN's choice, on one core.
double bareRate(int channels, int side) {
    using namespace dnnl;
    omp_set_num_threads(1);
    const engine e(engine::kind::cpu, 0);
    stream s(e);
    using tag = memory::format_tag;
    const memory::desc src({1, channels, side, side}, memory::data_type::f32, tag::any),
        w({channels, channels, 3, 3}, memory::data_type::f32, tag::any), b({channels}, memory::data_type::f32, tag::x);
    const convolution_forward::primitive_desc pd(
        {prop_kind::forward_inference, algorithm::convolution_direct, src, w, b, src, {1, 1}, {1, 1}, {1, 1}}, e);
    memory in(pd.src_desc(), e), weights(pd.weights_desc(), e), bias(pd.bias_desc(), e), out(pd.dst_desc(), e);
    for (const memory& m : {in, weights, bias}) { // numbers of ordinary size: tiny ones would slow the processor down
        auto* numbers = static_cast<float*>(m.get_data_handle());
        std::fill_n(numbers, m.get_desc().get_size() / sizeof(float), 0.01f);
    }
    const convolution_forward conv(pd);
    const double t = quietest([&] {
        for (int k = 0; k < 10; ++k)
            conv.execute(s,
                         {{DNNL_ARG_SRC, in}, {DNNL_ARG_WEIGHTS, weights}, {DNNL_ARG_BIAS, bias}, {DNNL_ARG_DST, out}});
        s.wait();
    });
    return 10.0 * channels * channels * 9 * side * side / t;
}

// Seconds a frame of x264, preset medium, on the clip enlarged to 1080×1920.
double encodeFrame(const std::string& clip, const std::string& file) {
    const auto reader =
        std::make_shared<FrameReader>(Clip::openVideo(clip), PacketDecoder::Threads::Frames, std::size_t(64) << 20);
    const auto source = std::make_shared<SourceStage>(reader);
    const PictureFormat f = source->format();
    const double w = f.height * 9.0 / 16;
    const ScaleWindow window{(f.width - w) / 2, 0, w, double(f.height), 1080, 1920};
    const auto large = std::make_shared<ResampleStage>(source, window, Kernel::Lanczos, f);
    Engine engine(std::size_t(64) << 20);
    std::vector<av::Frame> frames;
    for (int n = 0; n < 30; ++n)
        frames.push_back(
            toFrame(engine.pull(*large, n, large->format().frame(), {}, Engine::Keep::Inputs), AV_PIX_FMT_YUV420P));
    VideoEncoding e;
    e.width = 1080;
    e.height = 1920;
    MovieWriter writer(file, "mp4", e, std::nullopt);
    const double t = seconds([&] {
        for (std::size_t n = 0; n < frames.size(); ++n) writer.write(*frames[n], std::int64_t(n), 1);
        writer.finish();
    });
    return t / double(frames.size());
}

} // namespace

std::vector<Row> networkRows(const std::string& clip, const std::string& work) {
    std::vector<Row> rows;
    double quick = 0;
    for (const char* name : {"general-x2-quick", "general-x2-full"}) {
        const auto net = shippedNetwork(name);
        const double ours = ourFrame(*net), theirs = opencvFrame(name);
        if (net->frames() == 1) quick = ours;
        rows.push_back({std::string(name) + " against OpenCV DNN",
                        "540×960 to 1080×1920, same network, 2 cores, quietest of 5",
                        fixedPoint(theirs / ours, 1) + "× as fast (" + fixedPoint(ours * 1000, 0) + " ms a frame)",
                        "≥ 4×", theirs / ours >= 4});
        const int side = networkTile(kHeight, net->align()) + 2 * net->margin(),
                  channels = net->frames() == 1 ? 16 : 32;
        const std::vector<float> in(std::size_t(net->inputChannels()) * side * side, 0.4f);
        std::vector<float> out(std::size_t(4) * side * side);
        const double one = quietest([&] { net->run(in.data(), side, side, out.data()); });
        const double share = macs(name, side, side) / one / bareRate(channels, side);
        rows.push_back({std::string(name) + " against a bare convolution",
                        "multiplications a second, one core, tile of " + std::to_string(side) + " pixels, " +
                            std::to_string(channels) + " channels",
                        fixedPoint(100 * share, 0) + " %", "≥ 60 %", share >= 0.6});
    }
    const double encoder = encodeFrame(clip, work + "/encode.mp4");
    rows.push_back({"general-x2-quick against x264", "the same frames encoded at preset medium, 2 cores",
                    fixedPoint(quick / encoder, 2) + "×", "≤ 2×", quick / encoder <= 2});
    return rows;
}

} // namespace ulm::bench
