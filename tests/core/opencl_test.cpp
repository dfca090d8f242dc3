// The graphics processor's way, on whatever OpenCL offers: on a test machine that is the processor itself, by pocl. Run
// by `ctest -R opencl`, which lets OpenCV take such a device.
#include "core/base/files.h"
#include "core/model/arithmetic.h"
#include "core/model/built_in_networks.h"
#include "core/model/dnn_runner.h"
#include "core/model/onnx_file.h"
#include "core/model/opencl_runner.h"
#include "core/model/shipped_networks.h"
#include "tests/support/clips.h"
#include "tests/support/onnx_maker.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <nlohmann/json.hpp>
#include <opencv2/core/ocl.hpp>

using namespace ulm;
using test::OnnxMaker;

namespace {

std::vector<float> someNumbers(std::size_t count) {
    std::vector<float> v(count);
    std::uint32_t seed = 3;
    for (float& x : v) seed = seed * 1664525u + 1013904223u, x = float(seed >> 8 & 0xffff) / 0xffff;
    return v;
}

float furthest(const std::vector<float>& a, const std::vector<float>& b) {
    float most = 0;
    for (std::size_t i = 0; i < a.size(); ++i) most = std::max(most, std::abs(a[i] - b[i]));
    return most;
}

// Both ways of running a graph, on one picture.
float furthestApart(const NetGraph& g, int rows, int columns) {
    const std::vector<float> in = someNumbers(std::size_t(g.inputChannels) * rows * columns);
    const auto count = sizesFor(g, rows, columns, "n")[std::size_t(g.result)].count();
    std::vector<float> here(static_cast<std::size_t>(count)), there(here.size(), -9.f);
    DnnRunner(g, "n").run(in.data(), rows, columns, here.data());
    REQUIRE(OpenclRunner::knows(g));
    REQUIRE(OpenclRunner(g).run(in.data(), rows, columns, there.data()));
    return furthest(here, there);
}

} // namespace

TEST_CASE("OpenCL gives what the processor gives, for every network that ships", "[.opencl]") {
    REQUIRE_FALSE(graphicsProcessor().empty());
    for (const BuiltInNetwork& b : builtInNetworks()) {
        const NetGraph g = readOnnx(std::as_bytes(std::span(b.bytes, b.end)), b.name);
        INFO(b.name);
        CHECK(furthestApart(g, 24, 40) < 2e-5);
    }
}

TEST_CASE("OpenCL runs what compact networks of other makes hold, and leaves the rest to the processor", "[.opencl]") {
    OnnxMaker m(3);
    const std::string a = m.conv("picture", 3, 4, "a");
    const std::string prelu =
        m.step("PRelu", {a, m.numbers("slopes", {4, 1, 1}, std::vector<float>{0.1f, 0.2f, -0.3f, 0.4f})}, {}, {});
    const std::string one = m.step("PRelu", {a, m.numbers("slope", {1}, std::vector<float>{0.25f})}, {}, {});
    const std::string relu = m.step("Relu", {a}, {}, {});
    const std::string all = m.step("Concat", {prelu, one, relu}, {{"axis", {1}}}, {});
    const std::string file = m.bytes(m.step("Add", {m.conv(all, 12, 4, "b"), prelu}, {}, {}));
    CHECK(furthestApart(readOnnx(std::as_bytes(std::span(file)), "n"), 20, 33) < 2e-5);
    OnnxMaker aslant(1);
    const std::string leaning =
        aslant.bytes(aslant.step("Conv", {"picture", aslant.numbers("w", {1, 1, 2, 2})}, {{"pads", {0, 0, 1, 1}}}));
    CHECK_FALSE(OpenclRunner::knows(readOnnx(std::as_bytes(std::span(leaning)), "n")));
    OnnxMaker other(1);
    const std::string tanh = other.bytes(other.step("Tanh", {other.conv("picture", 1, 1, "a")}, {}, {}));
    CHECK_FALSE(OpenclRunner::knows(readOnnx(std::as_bytes(std::span(tanh)), "n")));
    CHECK(Network::fromBytes(std::as_bytes(std::span(tanh)), "n", {NetPrecision::F32, true})->isOnGraphics() == false);
}

TEST_CASE("a graphics processor is measured and used where it is faster; once it fails it is left alone", "[.opencl]") {
    test::TempFolder folder;
    const std::string file = folder / "processor.json";
    keepArithmetic(file);
    const ArithmeticPlan plan = arithmeticPlan();
    REQUIRE(plan.graphics);
    CHECK(plan.graphics->name == graphicsProcessor());
    CHECK(plan.graphics->speed > 0);
    CHECK(plan.graphics->likeF32 > 80);
    CHECK_FALSE(plan.graphics->failed);
    CHECK(plan.usesGraphics() == (plan.graphics->speed > 1));

    // As though it were fast.
    const auto keptAs = [&](const char* key, const nlohmann::json& value) {
        auto j = nlohmann::json::parse(readTextFile(file));
        j["graphics"][key] = value;
        writeFileWhole(file, j.dump());
        keepArithmetic(file);
    };
    keptAs("speed", 5.0);
    CHECK(arithmeticPlan().usesGraphics());
    const auto net = shippedNetwork("general", 2, false);
    REQUIRE(net->isOnGraphics());
    const auto plain = shippedNetwork("general-x2-quick", Arithmetic{});
    CHECK(net->hash() != plain->hash());
    const std::vector<float> in = someNumbers(std::size_t(net->inputChannels()) * 40 * 40);
    std::vector<float> there(80 * 80), here(there.size());
    net->run(in.data(), 40, 40, there.data());
    plain->run(in.data(), 40, 40, here.data());
    CHECK(furthest(there, here) < 2e-5);
    CHECK(net->isOnGraphics());

    keptAs("like_f32", 40.0); // fast and wrong
    CHECK_FALSE(arithmeticPlan().usesGraphics());
    keptAs("like_f32", 99.0);
    CHECK(arithmeticPlan().usesGraphics());

    // It breaks off: the picture is there all the same, and it is not asked again, not by the next start either.
    cv::ocl::setUseOpenCL(false);
    std::ranges::fill(there, -9.f);
    net->run(in.data(), 40, 40, there.data());
    cv::ocl::setUseOpenCL(true);
    shippedNetwork("general-x2-quick", Arithmetic{plan.chosen})->run(in.data(), 40, 40, here.data());
    CHECK(there == here);
    CHECK_FALSE(net->isOnGraphics());
    CHECK_FALSE(arithmeticPlan().usesGraphics());
    keepArithmetic(file);
    CHECK(arithmeticPlan().graphics->failed);
    CHECK_FALSE(shippedNetwork("general", 2, false)->isOnGraphics());
    CHECK_FALSE(measureArithmeticAgain().graphics->failed);
    keepArithmetic("");
}

TEST_CASE("a network whose numbers overflow is no failure of the graphics processor", "[.opencl]") {
    OnnxMaker m(1);
    const auto huge = [&](const std::string& in, const std::string& name) {
        return m.step("Conv", {in, m.numbers(name, {1, 1, 1, 1}, std::vector<float>{1e30f})}, {{"pads", {0, 0, 0, 0}}});
    };
    const std::string file = m.bytes(huge(huge("picture", "a"), "b"));
    const auto net = Network::fromBytes(std::as_bytes(std::span(file)), "n", {NetPrecision::F32, true});
    std::vector<float> in(32 * 32, 0.5f), out(in.size());
    REQUIRE(net->isOnGraphics());
    net->run(in.data(), 32, 32, out.data());
    CHECK(net->isOnGraphics());
}
