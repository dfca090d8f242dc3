#include "core/model/arithmetic.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/model/built_in_networks.h"
#include "core/model/onnx_file.h"
#include "core/model/opencl_runner.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace ulm {
namespace {
using nlohmann::json;

constexpr const char* kTried = "general-x2-full"; // the slowest of those that ship
constexpr int kSide = 144;
constexpr double kRight = 52; // dB: from here on the results' own error against any truth hides the difference
constexpr int kVersion = 2;   // of what is measured: an older file is measured anew

std::mutex mutex;
std::optional<ArithmeticPlan> inForce;
std::string keptIn;
std::atomic<bool> failed{false}; // the graphics processor

std::string processorName() {
    std::ifstream list("/proc/cpuinfo");
    for (std::string line; std::getline(list, line);)
        if (line.starts_with("model name")) {
            const std::size_t colon = line.find(": ");
            return (colon == std::string::npos ? line : line.substr(colon + 2)) +
                   (hasInt8() ? ", 8-bit products" : "") + (hasBf16() ? ", bf16" : "");
        }
    return "unknown";
}

// Slopes, hard edges and a little noise, which changes from frame to frame; then the levels of damage.
std::vector<float> testPicture(const NetGraph& g) {
    std::vector<float> all;
    std::uint32_t seed = 7;
    for (int c = 0; c < g.inputChannels; ++c)
        for (int y = 0; y < kSide; ++y)
            for (int x = 0; x < kSide; ++x) {
                seed = seed * 1664525u + 1013904223u;
                const double noise = double(seed >> 16 & 1023) / 1023 * 0.03;
                const int stripe = (x / 9 + y / 7) % 3;
                const double v = 0.15 + 0.3 * stripe + 0.2 * std::sin(x * 0.11 + y * 0.07) + noise;
                all.push_back(c < 5 ? static_cast<float>(std::clamp(v, 0.0, 1.0)) : 0.3f);
            }
    return all;
}

double psnrOf(const std::vector<float>& a, const std::vector<float>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += double(a[i] - b[i]) * (a[i] - b[i]);
    return std::min(99.0, -10 * std::log10(std::max(sum / double(a.size()), 1e-10)));
}

std::optional<ArithmeticPlan> read(const std::string& file, const std::string& graphics) {
    try {
        const json j = readJsonFile(file);
        if (j.at("version") != kVersion || j.at("processor") != processorName()) return std::nullopt;
        if (j.at("graphics").at("name") != graphics) return std::nullopt;
        ArithmeticPlan p;
        p.processor = j.at("processor");
        const std::string chosen = j.at("chosen");
        bool found = false;
        for (const json& w : j.at("tried"))
            for (const NetPrecision n : {NetPrecision::F32, NetPrecision::Bf16, NetPrecision::Int8})
                if (w.at("way") == nameOf(n)) {
                    p.tried.push_back({n, w.at("speed"), w.at("like_f32")});
                    if (chosen == nameOf(n) && p.tried.back().right()) p.chosen = n, found = true;
                }
        if (!graphics.empty()) {
            const json& g = j["graphics"];
            p.graphics = {graphics, g.at("speed"), g.at("like_f32"), g.at("failed")};
        }
        return found ? std::optional(p) : std::nullopt;
    } catch (const std::exception&) { // damaged or of another make: measured anew
        return std::nullopt;
    }
}

void write(const ArithmeticPlan& p, const std::string& file) {
    if (file.empty()) return;
    json j = {
        {"version", kVersion}, {"processor", p.processor}, {"chosen", nameOf(p.chosen)}, {"tried", json::array()}};
    for (const ArithmeticPlan::Way& w : p.tried)
        j["tried"].push_back({{"way", nameOf(w.precision)}, {"speed", w.speed}, {"like_f32", w.likeF32}});
    const auto g = p.graphics.value_or(ArithmeticPlan::Graphics{});
    j["graphics"] = {{"name", g.name}, {"speed", g.speed}, {"like_f32", g.likeF32}, {"failed", g.failed}};
    try {
        std::filesystem::create_directories(std::filesystem::path(file).parent_path());
        writeFileWhole(file, j.dump(1) + "\n");
    } catch (const std::exception&) { // where it cannot be kept it is measured each time
    }
}

double seconds(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

// One picture through the network in every way.
struct Trial {
    NetGraph graph;
    std::vector<float> in, exact; ///< exact: by f32
    double fastest = 0;           ///< seconds by the way that is chosen, on one core

    ArithmeticPlan ofProcessor();
    ArithmeticPlan::Graphics ofGraphics(const std::string& name) const;
};

ArithmeticPlan Trial::ofProcessor() {
    ArithmeticPlan plan;
    plan.processor = processorName();
    double slowest = 0;
    for (const NetPrecision p : {NetPrecision::F32, NetPrecision::Int8, NetPrecision::Bf16}) {
        const DnnRunner runner(graph, kTried, p);
        if (runner.precision() != p) continue; // not offered here
        std::vector<float> out(exact.size());
        double best = 1e9;
        for (int k = 0; k < 4; ++k) { // the first prepares
            const double taken = seconds([&] { runner.run(in.data(), kSide, kSide, out.data()); });
            if (k) best = std::min(best, taken);
        }
        if (p == NetPrecision::F32) exact = out, slowest = best;
        plan.tried.push_back({p, slowest / best, psnrOf(out, exact)});
        const ArithmeticPlan::Way& w = plan.tried.back();
        if (w.right() && (fastest == 0 || best < fastest)) fastest = best, plan.chosen = p;
    }
    return plan;
}

ArithmeticPlan::Graphics Trial::ofGraphics(const std::string& name) const {
    ArithmeticPlan::Graphics g{name};
    const OpenclRunner runner(graph);
    std::vector<float> out(exact.size());
    const double whole = fastest / std::max(1u, std::thread::hardware_concurrency());
    double best = 1e9;
    for (int k = 0; k < 4 && best > whole / 4; ++k) { // the first prepares, which may take seconds
        const double taken = seconds([&] { g.failed = !runner.run(in.data(), kSide, kSide, out.data()); });
        if (g.failed) return g;
        if (k) best = std::min(best, taken);
        if (k && best > 4 * whole) break; // far too slow to be worth another look
    }
    g.speed = whole / best;
    g.likeF32 = psnrOf(out, exact);
    return g;
}

// file: where it is kept, or none. A driver that ends the program when it is tried is not tried again.
ArithmeticPlan measured(const std::string& file) {
    const auto& all = builtInNetworks();
    const auto it = std::ranges::find_if(all, [](const BuiltInNetwork& b) { return std::string(b.name) == kTried; });
    if (it == all.end()) return {processorName(), {{NetPrecision::F32, 1, 99}}};
    Trial trial{readOnnx(std::as_bytes(std::span(it->bytes, it->end)), kTried)};
    trial.in = testPicture(trial.graph);
    trial.exact.resize(4 * trial.in.size() / std::size_t(trial.graph.inputChannels));
    ArithmeticPlan plan = trial.ofProcessor();
    if (const std::string name = graphicsProcessor(); !name.empty()) {
        plan.graphics = {name, 0, 0, true};
        write(plan, file);
        plan.graphics = trial.ofGraphics(name);
    }
    write(plan, file);
    return plan;
}

} // namespace

bool ArithmeticPlan::Way::right() const { return precision == NetPrecision::F32 || likeF32 >= kRight; }
bool ArithmeticPlan::Graphics::used() const { return !failed && likeF32 >= kRight && speed > 1; }

const char* nameOf(NetPrecision p) {
    return p == NetPrecision::F32 ? "f32" : p == NetPrecision::Bf16 ? "bf16" : "int8";
}

ArithmeticPlan measureArithmetic() { return measured(""); }

ArithmeticPlan arithmeticPlan() {
    std::lock_guard lock(mutex);
    if (!inForce && !keptIn.empty()) inForce = read(keptIn, graphicsProcessor());
    if (!inForce) inForce = measured(keptIn);
    return *inForce;
}

ArithmeticPlan measureArithmeticAgain() {
    std::lock_guard lock(mutex);
    failed = false;
    inForce = measured(keptIn);
    return *inForce;
}

void graphicsFailed() {
    std::lock_guard lock(mutex);
    failed = true;
    if (!inForce || !inForce->graphics) return;
    inForce->graphics->failed = true;
    write(*inForce, keptIn);
}

bool graphicsHasFailed() { return failed; }

void keepArithmetic(const std::string& file) {
    std::lock_guard lock(mutex);
    keptIn = file;
    failed = false;
    inForce.reset();
}

std::string arithmeticFile() {
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    const std::string folder = data && *data ? data : home ? std::string(home) + "/.local/share" : "/tmp";
    return folder + "/ulmwood/processor.json";
}

} // namespace ulm
