#include "core/base/error.h"
#include "core/base/files.h"
#include "core/engine/held_picture.h"
#include "core/engine/resample_stage.h"
#include "core/enlarge/network_stage.h"
#include "core/model/arithmetic.h"
#include "core/model/built_in_networks.h"
#include "core/model/model_folder.h"
#include "core/model/onnx_file.h"
#include "core/model/opencv_runner.h"
#include "core/model/plain_ops.h"
#include "core/model/shipped_networks.h"
#include "core/motion/aligned_stage.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"
#include "tests/support/onnx_maker.h"
#include "tests/support/skipped.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <limits>
#include <onnx/onnx_pb.h>
#include <random>
#include <thread>

using namespace ulm;
using test::OnnxMaker;

namespace {

std::span<const std::byte> asBytes(const std::string& s) { return std::as_bytes(std::span(s.data(), s.size())); }

std::vector<float> noise(std::size_t count, unsigned seed = 3) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> d(-1, 1);
    std::vector<float> v(count);
    for (float& x : v) x = d(random);
    return v;
}

double furthest(std::span<const float> a, std::span<const float> b) {
    REQUIRE(a.size() == b.size());
    double most = 0;
    for (std::size_t i = 0; i < a.size(); ++i) most = std::max(most, double(std::abs(a[i] - b[i])));
    return most;
}

std::string refusal(const std::string& bytes) {
    try {
        Network::fromBytes(asBytes(bytes), "net.onnx");
    } catch (const Error& e) {
        CHECK(e.file == "net.onnx");
        CHECK_FALSE(e.remedy.empty());
        return e.reason;
    }
    return "accepted";
}

// A network of every operator that compact restoration networks use, by name.
struct Made {
    const char* name;
    int channels;
    std::function<std::string(OnnxMaker&)> build;
};

// What enlarging networks end with: two convolutions' sum, its channels shuffled to `by` times the size.
std::string sumShuffled(OnnxMaker& m, int by, const char* mode) {
    const auto a = m.conv("picture", 2, by * by, "a"), b = m.conv(m.conv("picture", 2, 8, "b"), 8, by * by, "c");
    return m.step("DepthToSpace", {m.step("Add", {a, b})}, {{"blocksize", {by}}}, {}, {{"mode", mode}});
}

std::vector<Made> networks() {
    return {
        {"conv and leaky relu", 3,
         [](OnnxMaker& m) {
             return m.step("LeakyRelu", {m.conv("picture", 3, 20, "a")}, {}, {{"alpha", 0.1f}});
         }},
        {"strided, dilated and grouped conv", 4,
         [](OnnxMaker& m) {
             const auto a = m.step("Conv", {"picture", m.numbers("a", {16, 4, 4, 4})},
                                   {{"kernel_shape", {4, 4}}, {"strides", {2, 2}}, {"pads", {1, 1, 1, 1}}});
             const auto b =
                 m.step("Conv", {a, m.numbers("b", {16, 4, 3, 3})},
                        {{"kernel_shape", {3, 3}}, {"group", {4}}, {"pads", {2, 2, 2, 2}}, {"dilations", {2, 2}}});
             return m.step("Conv", {b, m.numbers("c", {16, 1, 3, 3}), m.numbers("cb", {16})},
                           {{"kernel_shape", {3, 3}}, {"group", {16}}, {"pads", {1, 1, 1, 1}}});
         }},
        {"prelu a channel, and one slope", 1,
         [](OnnxMaker& m) {
             const auto a = m.step("PRelu", {m.conv("picture", 1, 16, "a"), m.numbers("s", {16, 1, 1})});
             return m.step("PRelu", {m.conv(a, 16, 5, "b"), m.numbers("t", {1})});
         }},
        {"relu, clip, sigmoid, tanh", 2,
         [](OnnxMaker& m) {
             const auto a = m.step("Relu", {m.conv("picture", 2, 8, "a")});
             const auto b = m.step("Clip", {m.conv(a, 8, 8, "b")}, {}, {{"min", -0.2f}, {"max", 0.3f}});
             return m.step("Tanh", {m.step("Sigmoid", {m.conv(b, 8, 3, "c")})});
         }},
        {"add, sub, mul with pictures and constants", 4,
         [](OnnxMaker& m) {
             const auto a = m.conv("picture", 4, 4, "a"), b = m.conv(a, 4, 4, "b");
             const auto c = m.step("Sub", {m.step("Add", {a, b}), "picture"});
             const auto d = m.step("Mul", {m.step("Mul", {c, b}), m.numbers("k", {1, 4, 1, 1})});
             return m.step("Sub", {m.numbers("one", {}, std::vector{1.f}),
                                   m.step("Add", {d, m.numbers("half", {1}, std::vector{0.5f})})});
         }},
        {"concat, slice, split", 6,
         [](OnnxMaker& m) {
             const auto head = m.step("Slice", {"picture", m.whole("s", {0}), m.whole("e", {2}), m.whole("x", {1})});
             m.step("Split", {"picture", m.whole("p", {2, 4})}, {{"axis", {1}}}, {}, {}, "left");
             m.model().mutable_graph()->mutable_node(1)->add_output("right");
             return m.step("Concat", {m.conv("right", 4, 16, "a"), head, "left"}, {{"axis", {1}}});
         }},
        {"pixel shuffle in both orders, and back", 1,
         [](OnnxMaker& m) {
             const auto a = m.step("DepthToSpace", {m.conv("picture", 1, 12, "a")}, {{"blocksize", {2}}});
             const auto b =
                 m.step("DepthToSpace", {m.conv(a, 3, 12, "b")}, {{"blocksize", {2}}}, {}, {{"mode", "CRD"}});
             return m.step("SpaceToDepth", {b}, {{"blocksize", {2}}});
         }},
        {"a sum, shuffled to twice the size at the end", 2, [](OnnxMaker& m) { return sumShuffled(m, 2, "CRD"); }},
        {"the same to three times, in the other order", 2, [](OnnxMaker& m) { return sumShuffled(m, 3, "DCR"); }},
        {"the same to four times", 2, [](OnnxMaker& m) { return sumShuffled(m, 4, "CRD"); }},
        {"means of whole channels, laid over them in both orders", 2,
         [](OnnxMaker& m) { // "both orders": as OpenCV does not
             const auto a = m.conv("picture", 2, 20, "a");
             const auto mean = m.step("GlobalAveragePool", {a});
             const auto gate = m.step("Sigmoid", {m.step("Conv", {mean, m.numbers("g", {20, 20, 1, 1})})});
             return m.step("Sub", {mean, m.step("Mul", {gate, m.step("Mul", {a, gate})})});
         }},
        {"transposed conv", 2,
         [](OnnxMaker& m) {
             return m.step("ConvTranspose", {"picture", m.numbers("a", {2, 6, 4, 4}), m.numbers("b", {6})},
                           {{"kernel_shape", {4, 4}}, {"strides", {2, 2}}, {"pads", {1, 1, 1, 1}}});
         }},
        {"padding", 1,
         [](OnnxMaker& m) {
             const auto a =
                 m.step("Pad", {"picture", m.whole("p", {0, 0, 2, 1, 0, 0, 1, 2})}, {}, {}, {{"mode", "reflect"}});
             const auto b = m.step("Pad", {a, m.whole("q", {0, 0, 1, 1, 0, 0, 1, 1})}, {}, {}, {{"mode", "edge"}});
             return m.step("Conv", {b, m.numbers("a", {2, 1, 6, 6})});
         }},
        {"resizing: nearest, linear, cubic", 2, [](OnnxMaker& m) {
             const auto f = m.numbers("f", {4}, std::vector{1.f, 1.f, 2.f, 2.f});
             const auto a = m.step(
                 "Resize", {"picture", "", f}, {}, {},
                 {{"mode", "nearest"}, {"coordinate_transformation_mode", "asymmetric"}, {"nearest_mode", "floor"}});
             const auto b = m.step("Resize", {"picture", "", f}, {}, {}, {{"mode", "linear"}});
             const auto c = m.step("Resize", {"picture", "", f}, {}, {{"cubic_coeff_a", -0.5f}}, {{"mode", "cubic"}});
             return m.step("Add", {m.step("Add", {a, b}), c});
         }}};
}

} // namespace

TEST_CASE("networks of every operator give what plain loops give, at odd sizes and again on reused buffers") {
    for (const Made& made : networks()) {
        INFO(made.name);
        OnnxMaker m(made.channels);
        const std::string file = m.bytes(made.build(m));
        const NetGraph g = readOnnx(asBytes(file), "net.onnx");
        const DnnRunner runner(g, "net.onnx");
        for (const auto& [rows, columns] : {std::pair{24, 32}, {18, 22}, {24, 32}}) {
            const auto in = noise(std::size_t(made.channels) * rows * columns, unsigned(rows));
            const auto plain = runPlain(g, in, rows, columns, "net.onnx");
            std::vector<float> fast(plain.size(), -7);
            runner.run(in.data(), rows, columns, fast.data());
            CHECK(furthest(plain, fast) < 1e-4);
        }
    }
}

TEST_CASE("channels side by side go through a network as planes do") {
    const auto turned = [](const std::vector<float>& planes, std::size_t channels) {
        std::vector<float> all(planes.size());
        const std::size_t places = planes.size() / channels;
        for (std::size_t k = 0; k < places; ++k)
            for (std::size_t c = 0; c < channels; ++c) all[k * channels + c] = planes[c * places + k];
        return all;
    };
    for (const Made& made : networks()) {
        INFO(made.name);
        OnnxMaker m(made.channels);
        const std::string file = m.bytes(made.build(m));
        const NetGraph g = readOnnx(asBytes(file), "net.onnx");
        const DnnRunner runner(g, "net.onnx");
        const auto channels = std::size_t(sizesFor(g, 24, 32, "n")[std::size_t(g.result)].channels);
        const auto in = noise(std::size_t(made.channels) * 24 * 32, 3);
        std::vector<float> planes(runPlain(g, in, 24, 32, "n").size()), side = planes;
        runner.run(in.data(), 24, 32, planes.data());
        runner.run(turned(in, std::size_t(made.channels)).data(), 24, 32, side.data(), DnnRunner::Layout::Interleaved);
        CHECK(furthest(turned(planes, channels), side) < 1e-5);
    }
    // Networks that turn them themselves: one that returns a smaller picture, and one of OpenCV's.
    OnnxMaker small(2), foreign(1);
    const std::string files[] = {small.bytes(small.step("Conv", {"picture", small.numbers("a", {3, 2, 3, 3})})),
                                 foreign.bytes(foreign.step("Abs", {foreign.conv("picture", 1, 3, "a")}))};
    for (const std::string& file : files) {
        const auto net = Network::fromBytes(asBytes(file), "n");
        CHECK(net->isFast() == (&file == &files[0]));
        CHECK(net->outputChannels() == 3);
        const auto inputs = std::size_t(net->inputChannels());
        const auto in = noise(inputs * 64 * 72, 5);
        std::vector<float> planes(std::size_t(net->outputChannels()) * 64 * 72), side = planes;
        net->run(in.data(), 64, 72, planes.data());
        net->runInterleaved(turned(in, inputs).data(), 64, 72, side.data());
        CHECK(turned(planes, std::size_t(net->outputChannels())) == side);
    }
}

TEST_CASE("plain loops agree with OpenCV's DNN, which nobody here wrote") {
    for (const Made& made : networks()) {
        const std::string name = made.name;
        if (name.find("split") != std::string::npos || name.find("resizing") != std::string::npos ||
            name.find("both orders") != std::string::npos || name.find("padding") != std::string::npos)
            continue; // OpenCV 4.6 has no such forms
        INFO(name);
        OnnxMaker m(made.channels);
        const std::string file = m.bytes(made.build(m));
        const auto in = noise(std::size_t(made.channels) * 64 * 64);
        const auto plain = runPlain(readOnnx(asBytes(file), "n"), in, 64, 64, "n");
        const OpencvRunner other(asBytes(file), "n", "", made.channels);
        std::vector<float> out(plain.size());
        other.run(in.data(), 64, 64, out.data());
        CHECK(furthest(plain, out) < 1e-4);
    }
}

TEST_CASE("networks that ship are all there, open on our own runner, and say what they want") {
    for (const char* kind : {"general", "rough", "drawn"})
        for (int scale : {1, 2})
            for (bool full : {false, true}) {
                INFO(kind << " x" << scale << (full ? " full" : " quick"));
                const auto net = shippedNetwork(kind, scale, full);
                REQUIRE(net);
                CHECK(net->isFast());
                CHECK(net->scale() == scale);
                CHECK(net->frames() == (full ? 5 : 1));
                CHECK(net->levels() == 2);
                CHECK(net->outputChannels() == 1);
            }
    CHECK(shippedNetwork("nonsense") == nullptr);
    CHECK(shippedNetwork("estimate")->scale() == 1.0 / 8);
}

TEST_CASE("a region through a network equals the whole frame, within one step of 16 bits") {
    for (const char* name : {"general-x1-quick", "general-x2-quick", "general-x2-full"}) REQUIRE(shippedNetwork(name));
    PictureFormat f;
    f.width = 150;
    f.height = 94;
    const auto source = std::make_shared<test::PatternStage>(f, 3);
    const double bound = 1.0 / 65535;
    SECTION("quick, twice the size") {
        test::checkContract(*throughNetwork(source, {}, shippedNetwork("general", 2, false), {0.3, 0.1}), bound);
    }
    SECTION("full, with neighbours along the flow") {
        std::vector<StagePtr> around;
        for (int k : {-1, 1, -2, 2}) around.push_back(aligned(source, source, k));
        test::checkContract(*throughNetwork(source, around, shippedNetwork("general", 2, true), {0.3, 0.1}), bound);
    }
    SECTION("mixed with Lanczos by its strength") {
        test::checkContract(
            *throughNetwork(source, {}, shippedNetwork("general", 2, false), {0.3, 0.1}, Kernel::Lanczos, {}, 0.6),
            bound);
    }
    SECTION("quick, the same size") {
        test::checkContract(*throughNetwork(source, {}, shippedNetwork("general", 1, false), {0.3, 0.1}), bound);
        test::checkContract(*throughNetwork(source, {}, shippedNetwork("general", 4, false), {}), bound);
    }
    SECTION("one that works at half the size, on whole pairs of pixels") {
        OnnxMaker m(1);
        const auto half = m.step("Conv", {"picture", m.numbers("a", {8, 1, 4, 4}), m.numbers("b", {8})},
                                 {{"kernel_shape", {4, 4}}, {"strides", {2, 2}}, {"pads", {1, 1, 1, 1}}});
        const auto back = m.step("DepthToSpace", {m.conv(half, 8, 4, "c")}, {{"blocksize", {2}}});
        const std::string file = m.bytes(m.step("Add", {back, "picture"}));
        const auto net = Network::fromBytes(asBytes(file), "pairs");
        CHECK(net->align() == 2);
        test::checkContract(*throughNetwork(source, {}, net, {}), bound);
    }
    SECTION("three channels, four channels") {
        OnnxMaker m(GENERATE(3, 4));
        const int c = m.model().graph().input(0).type().tensor_type().shape().dim(1).dim_value();
        const auto up = m.step("DepthToSpace", {m.conv("picture", c, 27, "a")}, {{"blocksize", {3}}});
        const std::string file = m.bytes(up);
        test::checkContract(*throughNetwork(source, {}, Network::fromBytes(asBytes(file), "n"), {}), bound);
    }
}

TEST_CASE("frames are moved onto their neighbours: still and panned ones match, cut and foreign ones are left out") {
    const Picture world = test::photograph(220, 140);
    struct Panned : Stage {
        Picture world;
        int step;
        float brighter; // each frame than the one before
        Panned(Picture w, PictureFormat f, int s, float b = 0)
            : Stage({}, f, KeyMaker("panned").add(s).add(f.width).add(double(b))), world(std::move(w)), step(s),
              brighter(b) {}
        const char* name() const override { return "panned"; }
        std::int64_t frames() const override { return 4; }
        std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
        void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
            for (int c = 0; c < 3; ++c) {
                const Rect r = out.planes[c].area();
                const int by = int(n) * step >> (c ? 1 : 0);
                for (int y = r.y; y < r.bottom(); ++y)
                    for (int x = 0; x < r.w; ++x)
                        out.planes[c].row(y)[x] =
                            n == 3 ? 0.5f : world.planes[c].at(r.x + x + by, y) + (c ? 0 : brighter * float(n));
            }
        }
    };
    PictureFormat f = world.format;
    f.width = 180;
    const auto source = std::make_shared<Panned>(world, f, 6);
    Engine e(64 << 20);
    const auto whole = [&](const StagePtr& s, std::int64_t n) { return e.pull(*s, n, s->format().frame(), {}); };
    const auto mse = [&](const Picture& a, const Picture& b, int plane) {
        const Rect inner = plane ? Rect{16, 8, 56, 50} : Rect{32, 16, 112, 100}; // what is in both frames
        return test::meanSquare(a.planes[plane].view(inner), b.planes[plane].view(inner));
    };
    const Picture here = whole(source, 1), moved = whole(aligned(source, source, 1), 1), unmoved = whole(source, 2);
    for (int plane : {0, 1}) CHECK(mse(here, moved, plane) < 0.15 * mse(here, unmoved, plane));
    // After it comes a cut to grey: what is left of that is where the picture was nearly as grey.
    CHECK(mse(whole(source, 2), whole(aligned(source, source, 1), 2), 0) <
          0.1 * mse(whole(source, 2), whole(source, 3), 0));
    CHECK(mse(whole(source, 0), whole(aligned(source, source, -1), 0), 0) == 0); // before the first there is nothing
    const Picture luma = whole(aligned(source, source, 1, Moved::Luma), 1);
    CHECK(mse(here, luma, 0) < 0.15 * mse(here, unmoved, 0)); // by a coarser search
    CHECK(test::meanSquare(luma.planes[1], here.planes[1]) == 0);
    test::checkContract(*aligned(source, source, 1));
    test::checkContract(*aligned(source, source, -1, Moved::Luma));
    // Where a neighbour is half trusted, everything that trust was weighed by shows in the result.
    const auto doubtful = std::make_shared<Panned>(world, f, 6, 1.5f * kFlowTolerance);
    const Picture half = whole(aligned(doubtful, source, 1, Moved::Luma), 1);
    const double share = std::sqrt(test::meanSquare(half.planes[0], whole(doubtful, 1).planes[0])) / 0.0675;
    CHECK(share > 0.2);
    CHECK(share < 0.8);
    test::checkContract(*aligned(doubtful, source, 1));
}

TEST_CASE("people's own networks are found by name, and their cards say how they want colours") {
    test::TempFolder folder;
    setenv("ULMWOOD_MODELS", folder.path().c_str(), 1);
    OnnxMaker m(3); // swaps nothing, enlarges by two: each channel four times
    std::vector<float> w(12 * 3, 0);
    for (int o = 0; o < 12; ++o) w[std::size_t(o * 3 + o % 3)] = 1;
    const auto up =
        m.step("DepthToSpace", {m.step("Conv", {"picture", m.numbers("w", {12, 3, 1, 1}, w)})}, {{"blocksize", {2}}});
    writeFileWhole(folder / "mine.onnx", m.bytes(up));
    CHECK(modelsInFolder().size() == 1);
    const UserNetwork user = openUserNetwork("mine.onnx");
    CHECK(user.network->scale() == 2);
    CHECK_FALSE(user.card.known);
    writeCard(folder / "mine.onnx", {"Mine", "CC0", "", true, 255, true});
    const UserNetwork told = openUserNetwork("mine.onnx");
    CHECK(told.card.bgr);
    CHECK(told.card.range == 255);
    const Picture p = test::photograph(64, 48);
    Engine e(16 << 20);
    const auto out =
        throughNetwork(heldPicture(p), {}, told.network, {}, Kernel::Lanczos, {told.card.bgr, told.card.range});
    const Picture big = e.pull(*out, 0, out->format().frame(), {});
    double most = 0;
    for (int y = 8; y < 80; ++y)
        for (int x = 8; x < 100; ++x)
            most = std::max(most, double(std::abs(big.planes[0].at(x, y) - p.planes[0].at(x / 2, y / 2))));
    CHECK(most < 0.02); // nearest neighbour in colour, but for chroma's own scaling
    writeFileWhole(folder / "mine.card.json", "{\"order\": \"gbr\"}");
    CHECK_THROWS_AS(openUserNetwork("mine.onnx"), Error);
    CHECK_THROWS_AS(openUserNetwork("other.onnx"), Error);
    unsetenv("ULMWOOD_MODELS");
}

TEST_CASE("hostile networks are refused with the reason, and never crash") {
    CHECK(refusal("") == "the file is empty");
    CHECK(refusal("not a network at all, just words").find("no ONNX file") != std::string::npos);
    OnnxMaker good(1);
    const std::string whole = good.bytes(good.conv("picture", 1, 4, "a"));
    for (std::size_t n = 1; n < whole.size(); n += 7) CHECK(refusal(whole.substr(0, n)) != "");
    std::mt19937 random(5);
    for (int k = 0; k < 400; ++k) { // flipped bytes: refused or run, nothing else
        std::string bad = whole;
        for (int i = 0; i < 3; ++i) bad[random() % bad.size()] = static_cast<char>(random());
        refusal(bad);
    }
    SECTION("a cycle") {
        OnnxMaker m(1);
        m.step("Relu", {"b"}, {}, {}, {}, "a");
        m.step("Relu", {"a"}, {}, {}, {}, "b");
        CHECK(refusal(m.bytes("b")).find("cycle") != std::string::npos);
    }
    SECTION("numbers that are none") {
        OnnxMaker m(1);
        m.numbers("w", {1, 1, 1, 1}, std::vector{std::numeric_limits<float>::quiet_NaN()});
        CHECK(refusal(m.bytes(m.step("Conv", {"picture", "w"}))).find("NaN") != std::string::npos);
    }
    SECTION("absurd shapes") {
        OnnxMaker m(1);
        auto* t = m.model().mutable_graph()->add_initializer();
        t->set_name("w");
        t->set_data_type(onnx::TensorProto::FLOAT);
        for (int i = 0; i < 4; ++i) t->add_dims(1LL << 40);
        CHECK(refusal(m.bytes(m.step("Conv", {"picture", "w"}))).find("absurd shape") != std::string::npos);
        OnnxMaker k(1);
        CHECK(refusal(k.bytes(k.step("DepthToSpace", {"picture"}, {{"blocksize", {1000000}}}))).find("absurd") !=
              std::string::npos);
        OnnxMaker w(1);
        CHECK(refusal(w.bytes(w.step("Conv", {"picture", w.numbers("w", {4, 7, 3, 3})}))).find("do not fit") !=
              std::string::npos);
    }
    SECTION("an operator that nobody knows is named with its node") {
        OnnxMaker m(1);
        const std::string reason = refusal(m.bytes(m.step("Frobnicate", {"picture"})));
        CHECK(reason.find("Frobnicate1") != std::string::npos);
    }
    SECTION("no picture in, or no whole factor") {
        OnnxMaker m(1);
        m.model()
            .mutable_graph()
            ->mutable_input(0)
            ->mutable_type()
            ->mutable_tensor_type()
            ->mutable_shape()
            ->mutable_dim(1)
            ->clear_dim_value();
        CHECK(refusal(m.bytes(m.conv("picture", 1, 1, "a"))).find("channels") != std::string::npos);
        OnnxMaker r(1);
        CHECK(refusal(r.bytes(r.step("Resize", {"picture", "", r.numbers("f", {4}, std::vector{1.f, 1.f, 1.5f, 1.5f})},
                                     {}, {}, {{"mode", "linear"}})))
                  .find("changes sizes by") != std::string::npos);
    }
}

TEST_CASE("what our runner lacks goes to OpenCV's") {
    OnnxMaker m(1);
    const std::string file = m.bytes(m.step("Abs", {m.conv("picture", 1, 1, "a")}));
    const auto net = Network::fromBytes(asBytes(file), "n");
    CHECK_FALSE(net->isFast());
    const auto in = noise(64 * 64);
    std::vector<float> out(64 * 64);
    net->run(in.data(), 64, 64, out.data());
    CHECK(*std::ranges::min_element(out) >= 0);
    CHECK(*std::ranges::max_element(out) > 0.1f);
}

TEST_CASE("strength runs from the filter alone through the network to beyond it, and differs in its key") {
    const auto net = shippedNetwork("general", 2, false);
    REQUIRE(net);
    const auto source = heldPicture(test::photograph(96, 64, 12));
    const PictureFormat& f = source->format();
    const Rect all{0, 0, 2 * f.width, 2 * f.height};
    Engine engine(0);
    const auto at = [&](double strength) {
        return engine.pull(*throughNetwork(source, {}, net, {}, Kernel::Lanczos, {}, strength), 0, all, {});
    };
    PictureFormat twice = f;
    twice.width *= 2, twice.height *= 2;
    const ResampleStage filter(source, {0, 0, double(f.width), double(f.height), twice.width, twice.height},
                               Kernel::Lanczos, twice);
    const Picture lanczos = engine.pull(filter, 0, all, {}), none = at(0), half = at(0.5), whole = at(1),
                  more = at(1.5);
    double added = 0;
    for (int y = 0; y < all.h; ++y)
        for (int x = 0; x < all.w; ++x) {
            const float l = lanczos.planes[0].at(x, y), n = whole.planes[0].at(x, y);
            added += std::abs(n - l);
            REQUIRE(none.planes[0].at(x, y) == Approx(l).margin(1e-6));
            REQUIRE(half.planes[0].at(x, y) == Approx((l + n) / 2).margin(1e-6));
            REQUIRE(more.planes[0].at(x, y) == Approx(n + 0.5f * (n - l)).margin(1e-6));
        }
    CHECK(added / double(all.pixels()) > 0.1 / 255);
    CHECK_FALSE(throughNetwork(source, {}, net, {}, Kernel::Lanczos, {}, 0.5)->key() ==
                throughNetwork(source, {}, net, {})->key());
}

TEST_CASE("8-bit convolutions give what f32 gives, to within what no figure shows; without notes they are not used") {
    if (!hasInt8()) return test::skipped("this processor has no 8-bit products");
    for (const BuiltInNetwork& b : builtInNetworks()) {
        const std::string name = b.name;
        if (name == "estimate" || name == "between") continue; // the latter sees no pictures: mend_test
        INFO(name);
        const auto bytes = std::as_bytes(std::span(b.bytes, b.end));
        const auto exact = Network::fromBytes(bytes, name), coded = Network::fromBytes(bytes, name, NetPrecision::Int8);
        CHECK(exact->precision() == NetPrecision::F32);
        REQUIRE(coded->precision() == NetPrecision::Int8);
        CHECK(exact->hash() != coded->hash());
        // A picture, panned from frame to frame, at two levels of damage.
        const Picture p = test::photograph(160, 128);
        for (const float damage : {0.1f, 0.6f}) {
            std::vector<float> in;
            for (int c = 0; c < exact->inputChannels(); ++c)
                for (int y = 0; y < 96; ++y)
                    for (int x = 0; x < 112; ++x)
                        in.push_back(c < exact->frames() ? p.planes[0].at(x + 8 + c % 3, y + 8) : damage / float(c));
            std::vector<float> a(std::size_t(96 * 112 * exact->scale() * exact->scale())), q(a.size());
            exact->run(in.data(), 96, 112, a.data());
            coded->run(in.data(), 96, 112, q.data());
            double sum = 0;
            for (std::size_t i = 0; i < a.size(); ++i) sum += double(a[i] - q[i]) * (a[i] - q[i]);
            const double alike = -10 * std::log10(sum / double(a.size()));
            INFO("alike " << alike << " dB");
            CHECK(alike > (name.ends_with("crisp") ? 48 : 54)); // crisp ones add more to be told
            CHECK(alike < 95);                                  // it did something else
        }
    }
    OnnxMaker m(1);
    const std::string file =
        m.bytes(m.conv(m.step("LeakyRelu", {m.conv("picture", 1, 8, "a")}, {}, {{"alpha", 0.1f}}), 8, 1, "b"));
    CHECK(Network::fromBytes(asBytes(file), "n", NetPrecision::Int8)->precision() == NetPrecision::F32);
}

TEST_CASE("the notes for 8 bits are read with mistrust") {
    const auto graphWith = [](const std::string& note) {
        OnnxMaker m(1);
        const std::string a = m.step("LeakyRelu", {m.conv("picture", 1, 2, "a")}, {}, {{"alpha", 0.1f}});
        if (!note.empty()) m.note("ulmwood.activations", note);
        const std::string file = m.bytes(m.conv(a, 2, 1, "b"));
        return quantised(readOnnx(asBytes(file), "n"));
    };
    REQUIRE(graphWith("-0.5,2 -0.1,1"));
    const auto q = *graphWith("-0.5,2 -0.1,1");
    CHECK(std::ranges::count_if(q.values, [](const auto& v) { return v.has_value(); }) == 1);
    for (const char* note : {"", "-0.5,2", "-0.5,2 -0.1,1 -0.1,1", "-0.5,2 -0.1,1;-0.1,1 -0.1,1", "nan,2 -0.1,1",
                             "0.5,2 -0.1,1", "-0.5,inf -0.1,1", "words", "-0.5 2 -0.1 1"}) {
        INFO(note);
        CHECK_FALSE(graphWith(note));
    }
    CHECK(widerActivations("-1,2 -3,1;0,1", "-2,1 -1,4;-1,0") == "-2,2 -3,4;-1,1");
    CHECK(widerActivations("-1,2", "-1,2 -1,2").empty());
    // Evened out, the graph computes what it did.
    OnnxMaker m(1);
    const std::string a = m.step("LeakyRelu", {m.conv("picture", 1, 2, "a")}, {}, {{"alpha", 0.1f}});
    m.note("ulmwood.activations", "-0.5,2 -0.1,9");
    const std::string file = m.bytes(m.conv(a, 2, 1, "b"));
    const NetGraph g = readOnnx(asBytes(file), "n");
    std::vector<float> in(20 * 20);
    for (std::size_t i = 0; i < in.size(); ++i) in[i] = float(i % 17) / 17;
    CHECK(furthest(runPlain(g, in, 20, 20, "n"), runPlain(quantised(g)->graph, in, 20, 20, "n")) < 1e-5);
}

TEST_CASE(
    "how networks compute is measured once and kept; another processor's plan, or a damaged one, is measured anew") {
    const ArithmeticPlan plan = measureArithmetic();
    REQUIRE(plan.tried.front().precision == NetPrecision::F32);
    double fastest = 0;
    for (const auto& w : plan.tried) {
        INFO(nameOf(w.precision) << " " << w.speed << " times as fast, alike " << w.likeF32);
        CHECK(w.speed > 0);
        if (w.right()) fastest = std::max(fastest, w.speed);
    }
    const auto chosen = std::ranges::find(plan.tried, plan.chosen, &ArithmeticPlan::Way::precision);
    CHECK(chosen->speed == fastest);
    CHECK(int(plan.tried.size()) == 1 + int(hasInt8()) + int(hasBf16()));
    test::TempFolder folder;
    const std::string file = folder / "deep/processor.json";
    keepArithmetic(file);
    CHECK(arithmeticPlan().processor == plan.processor);
    auto j = nlohmann::json::parse(readTextFile(file));
    CHECK(j["processor"] == plan.processor);
    // As kept, even where the figures are others.
    j["tried"][0]["speed"] = 123.0;
    writeFileWhole(file, j.dump());
    keepArithmetic(file);
    CHECK(arithmeticPlan().tried[0].speed == 123);
    for (const auto& [key, value] : {std::pair<const char*, nlohmann::json>{"processor", "another"},
                                     {"version", 99},
                                     {"chosen", "f16"},
                                     {"graphics", {{"name", "one that was taken out"}}},
                                     {"tried", "none"}}) {
        auto other = j;
        other[key] = value;
        writeFileWhole(file, other.dump());
        keepArithmetic(file);
        INFO(key);
        CHECK(arithmeticPlan().tried[0].speed == 1);
        CHECK(nlohmann::json::parse(readTextFile(file))["processor"] == plan.processor);
    }
    keepArithmetic("");
}

TEST_CASE("a network between two is each of its weights between theirs; unlike shapes are refused") {
    const auto made = [](float weight, float bias, int size = 1) {
        OnnxMaker m(1);
        const std::vector<float> all(std::size_t(size * size), weight);
        return m.bytes(m.step(
            "Conv", {"picture", m.numbers("w", {1, 1, size, size}, all), m.numbers("b", {1}, std::vector<float>{bias})},
            {{"pads", {size / 2, size / 2, size / 2, size / 2}}}));
    };
    const std::string a = made(2, 0.5f), b = made(6, -0.5f), other = made(1, 0, 3);
    const std::vector<float> in(32 * 32, 0.25f);
    std::vector<float> out(in.size());
    for (const double share : {0.0, 0.25, 1.0}) {
        const auto net = Network::between(asBytes(a), asBytes(b), share, "n");
        net->run(in.data(), 32, 32, out.data());
        CHECK(out[500] == Approx(0.25 * (2 + 4 * share) + 0.5 - share));
    }
    CHECK(Network::between(asBytes(a), asBytes(b), 0.2, "n")->hash() !=
          Network::between(asBytes(a), asBytes(b), 0.3, "n")->hash());
    CHECK_THROWS_AS(Network::between(asBytes(a), asBytes(other), 0.5, "n"), Error);
}

TEST_CASE("networks met for the first time by many threads at once give what one alone gives, at every size") {
    for (const double crisp : {0.31, 0.62}) {
        const auto net = shippedNetwork("general", 2, true, crisp);
        REQUIRE(net);
        // The same pattern about the middle, whatever the size: so is what becomes of it.
        const auto middleOf = [&](int side) {
            std::vector<float> in, out(std::size_t(side) * std::size_t(side) * 4);
            for (int c = 0; c < net->inputChannels(); ++c)
                for (int y = 0; y < side; ++y)
                    for (int x = 0; x < side; ++x)
                        in.push_back(c ? 0.3f
                                       : 0.5f + 0.4f * std::sin(float(x - side / 2) * 0.31f) *
                                                    std::cos(float(y - side / 2) * 0.23f));
            net->run(in.data(), side, side, out.data());
            std::vector<float> middle;
            for (int y = side - 8; y < side + 8; ++y)
                for (int x = side - 8; x < side + 8; ++x)
                    middle.push_back(out[std::size_t(y) * 2 * side + std::size_t(x)]);
            return middle;
        };
        const std::vector<float> alone = middleOf(100);
        std::vector<std::vector<float>> all(40);
        std::vector<std::thread> threads;
        for (std::size_t t = 0; t < 4; ++t)
            threads.emplace_back([&, t] {
                for (std::size_t k = t; k < all.size(); k += 4) all[k] = middleOf(72 + 2 * int(k));
            });
        for (std::thread& t : threads) t.join();
        for (std::size_t k = 0; k < all.size(); ++k) {
            double most = 0;
            for (std::size_t i = 0; i < alone.size(); ++i)
                most = std::max(most, std::abs(double(all[k][i]) - double(alone[i])));
            INFO("crisp " << crisp << ", " << 72 + 2 * k << " pixels");
            CHECK(most < 0.004);
        }
    }
}
