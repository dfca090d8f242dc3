// The checker of stages is itself held against stages that lie, and keys are held to their promise.
#include "tests/support/contract.h"

#include "core/engine/mix_stage.h"
#include "core/engine/pick_stage.h"
#include "core/engine/resample_stage.h"
#include "core/finish/detail_stage.h"
#include "core/finish/grain_stage.h"
#include "core/finish/unsharp_stage.h"
#include "core/motion/aligned_stage.h"
#include "core/restore/clean_stages.h"

#include <catch2/catch.hpp>

using namespace ulm;
using test::PatternStage;

namespace {

StagePtr pattern(std::uint32_t seed = 5) {
    return std::make_shared<PatternStage>(PictureFormat{64, 48, 0, 0}, 3, seed);
}

enum class Lie {
    None,
    ReadsBeyond,  // needs a margin that it does not ask for
    WritesBeyond, // one sample to the left of its region
    ByPlace,      // its samples depend on where the region begins
    LeavesGaps,   // the last column is never written
    AsksOutside,  // for pixels that the input does not have
    AsksLate,     // for a frame after the last
    AsksWrongInput,
    ColoursOnly, // wrong in the last plane alone
};

class Liar : public Stage {
public:
    Liar(StagePtr in, Lie lie) : Stage({in}, in->format(), KeyMaker("liar").add(in)), lie_(lie) {}
    const char* name() const override { return "liar"; }
    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        if (lie_ == Lie::AsksOutside) return {{0, frame, {region.x - 1, region.y, region.w, region.h}}};
        if (lie_ == Lie::AsksLate) return {{0, frame + 1, region}};
        if (lie_ == Lie::AsksWrongInput) return {{1, frame, region}};
        return {{0, frame, region}};
    }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) {
            const Plane& from = in[0].planes[c];
            Plane& to = out.planes[c];
            for (int y = to.area().y; y < to.area().bottom(); ++y) {
                const int w = to.area().w;
                std::copy_n(from.row(y), w, to.row(y));
                if (lie_ == Lie::ReadsBeyond && to.area().right() < 64) to.row(y)[w - 1] = from.row(y)[w];
                if (lie_ == Lie::WritesBeyond && to.area().x > 0) to.row(y)[-1] = 0;
                if (lie_ == Lie::ByPlace || (lie_ == Lie::ColoursOnly && c == 2)) to.row(y)[0] += 0.001f;
                if (lie_ == Lie::LeavesGaps && w > 8) to.row(y)[w - 1] = std::numeric_limits<float>::quiet_NaN();
            }
        }
    }

private:
    Lie lie_;
};

std::vector<std::string> faultsOf(Lie lie) { return test::contractFaults(Liar(pattern(), lie)); }

} // namespace

TEST_CASE("the checker of stages finds each kind of lie, and clears an honest stage") {
    using Faults = std::vector<std::string>;
    const Faults other{"gives other samples for a part than for the whole"},
        unasked{"reads what it did not ask for, or leaves samples unwritten"},
        outside{"asks for what its input does not have"};
    CHECK(faultsOf(Lie::None) == Faults{});
    CHECK(faultsOf(Lie::ReadsBeyond) == unasked);
    CHECK(faultsOf(Lie::WritesBeyond) == Faults{"writes outside its region"});
    CHECK(faultsOf(Lie::ByPlace) == other);
    CHECK(faultsOf(Lie::ColoursOnly) == other);
    CHECK(faultsOf(Lie::LeavesGaps) == unasked);
    CHECK(faultsOf(Lie::AsksOutside) == outside);
    CHECK(faultsOf(Lie::AsksLate) == outside);
    CHECK(faultsOf(Lie::AsksWrongInput) == Faults{"asks for an input that it does not have"});
}

TEST_CASE("equal parameters give equal keys, others give others") {
    const auto at = [](auto make, auto... values) {
        return std::vector<std::function<StagePtr()>>{[=] { return make(values); }...};
    };
    std::vector<std::function<StagePtr()>> ways;
    const auto add = [&](auto more) { ways.insert(ways.end(), more.begin(), more.end()); };
    add(at([](int seed) { return pattern(static_cast<std::uint32_t>(seed)); }, 1, 2));
    add(at([](double v) { return deblock(pattern(), v); }, 10., 20.));
    add(at([](double v) { return denoise(pattern(), v); }, 4., 8.));
    add(at([](Planes p) { return denoise(pattern(), 5, p); }, Planes::All, Planes::Chroma, Planes::Luma));
    add(at([](int n) { return denoise(pattern(), 5, Planes::All, alignedAround(pattern(), pattern(), n)); }, 1));
    add(at([](double v) { return calmRinging(pattern(), v); }, 3., 6.));
    add(at([](double v) { return smoothStairs(pattern(), v); }, 0.5, 1.));
    add(at([](double v) { return dissolveBands(pattern(), v); }, 0.5, 1.));
    add(at([](double v) { return raiseTexture(pattern(), v, 1); }, 0.5, 1.));
    add(at([](double v) { return raiseTexture(pattern(), 0.7, v); }, 0.5, 2.));
    add(at([](double v) { return unsharp(pattern(), v, 1); }, 0.5, 1.));
    add(at([](double v) { return unsharp(pattern(), 0.7, v); }, 0.5, 1.5));
    for (std::size_t k = 0; k < 4; ++k)
        ways.push_back([k] {
            std::array<double, 4> gains{};
            gains[k] = 0.5;
            return sharpenByDetail(pattern(), gains, 1);
        });
    add(at([](double v) { return sharpenByDetail(pattern(), {1, 1, 1, 1}, v); }, 0., 1.));
    add(at([](double v) { return guardSharpening(unsharp(pattern(), 2, 1), pattern(), v, true); }, 0.2, 0.5));
    add(at([](bool v) { return guardSharpening(unsharp(pattern(), 2, 1), pattern(), 0.4, v); }, true, false));
    add(at([](double v) { return filmGrain(pattern(), v, 1, 0.5, 3); }, 3., 6.));
    add(at([](double v) { return filmGrain(pattern(), 5, v, 0.5, 3); }, 1.5, 2.));
    add(at([](double v) { return filmGrain(pattern(), 5, 2.5, v, 3); }, 0.1, 0.9));
    add(at([](int v) { return filmGrain(pattern(), 5, 3, 0.5, static_cast<std::uint32_t>(v)); }, 1, 2));
    add(at([](double v) { return keepOriginal(deblock(pattern(), 30), pattern(), v); }, 0.2, 0.4));
    add(at([](int v) { return aligned(pattern(), pattern(), v); }, -1, 1, 2));
    add(at(
        [](Kernel k) {
            return StagePtr(std::make_shared<ResampleStage>(pattern(), ScaleWindow{0, 0, 64, 48, 96, 72}, k,
                                                            PictureFormat{96, 72, 0, 0}));
        },
        Kernel::Lanczos, Kernel::Bicubic));
    add(at(
        [](double x) {
            return StagePtr(std::make_shared<ResampleStage>(pattern(), ScaleWindow{x, 0, 60, 48, 96, 72},
                                                            Kernel::Lanczos, PictureFormat{96, 72, 0, 0}));
        },
        0.5, 1.5));
    test::checkKeys(ways);
}
