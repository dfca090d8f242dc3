// Fields made into whole pictures.
#include "core/media/deinterlace_stage.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/contract.h"

#include <catch2/catch.hpp>

using namespace ulm;

namespace {

// A photograph that slides: in frame n the lines of the first field are of instant n, the others of n + ½.
class Woven : public Stage {
public:
    Woven(bool topFirst, bool woven)
        : Stage({}, {192, 96, 1, 1}, KeyMaker("woven").add(int(topFirst)).add(int(woven))), topFirst_(topFirst),
          woven_(woven), photo_(test::photograph(280, 96, 5)) {}
    const char* name() const override { return "woven"; }
    std::int64_t frames() const override { return 6; }
    bool worthKeeping() const override { return false; }
    std::vector<Need> needs(std::int64_t, const Rect&) const override { return {}; }
    void compute(std::int64_t n, std::span<const Picture>, Picture& out, const CancelToken&) const override {
        for (std::size_t c = 0; c < 3; ++c) {
            const Rect r = out.planes[c].area();
            for (int y = r.y; y < r.bottom(); ++y) {
                const bool late = woven_ && (y % 2 == 0) != topFirst_;
                const int by = static_cast<int>(8 * n + (late ? 4 : 0)) / (c ? 2 : 1);
                for (int x = r.x; x < r.right(); ++x) out.planes[c].row(y)[x - r.x] = photo_.planes[c].at(x + by, y);
            }
        }
    }

private:
    bool topFirst_, woven_;
    Picture photo_;
};

Picture whole(const StagePtr& s, std::int64_t n) {
    Engine engine(0);
    return engine.pull(*s, n, s->format().frame(), {});
}

} // namespace

TEST_CASE("fields become pictures of the first one's instant; which comes first matters") {
    for (const bool topFirst : {true, false}) {
        const auto woven = std::make_shared<Woven>(topFirst, true), plain = std::make_shared<Woven>(topFirst, false);
        const Picture combed = whole(woven, 3), truth = whole(plain, 3), made = whole(deinterlaced(woven, topFirst), 3),
                      wrong = whole(deinterlaced(woven, !topFirst), 3);
        const auto error = [&](const Picture& p) { return test::meanSquare(p.planes[0], truth.planes[0]); };
        CHECK(error(made) < 0.35 * error(combed));
        CHECK(error(wrong) > 2 * error(made));
        // Its own lines stay as they are.
        for (int y = topFirst ? 0 : 1; y < 96; y += 2)
            for (int x = 0; x < 192; ++x)
                REQUIRE(made.planes[0].at(x, y) == Approx(truth.planes[0].at(x, y)).margin(2e-5));
    }
}

TEST_CASE("a part of a deinterlaced picture is that part of the whole") {
    for (const int sub : {0, 1}) {
        const auto pattern = std::make_shared<test::PatternStage>(PictureFormat{66, 48, sub, sub}, 5);
        test::checkContract(*deinterlaced(pattern, true), 4e-5);
    }
    const auto pattern = std::make_shared<test::PatternStage>(PictureFormat{66, 48, 1, 1}, 5);
    test::checkKeys({[&] { return deinterlaced(pattern, true); }, [&] { return deinterlaced(pattern, false); }});
}
