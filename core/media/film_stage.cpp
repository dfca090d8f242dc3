#include "core/media/film_stage.h"

#include <algorithm>

namespace ulm {
namespace {

class FilmStage : public Stage {
public:
    FilmStage(StagePtr input, std::vector<std::int64_t> woven, bool keepTop)
        : Stage({input}, input->format(),
                KeyMaker("film").add(input).add(int(keepTop)).add(woven.data(), woven.size() * sizeof(std::int64_t))),
          woven_(std::move(woven)), kept_(keepTop ? 0 : 1) {}
    const char* name() const override { return "film"; }

    std::vector<Need> needs(std::int64_t frame, const Rect& region) const override {
        if (!isWoven(frame)) return {{0, frame, region}};
        return {{0, frame, region}, {0, frame - 1, region}};
    }

    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out, const CancelToken&) const override {
        for (int c = 0; c < 3; ++c) {
            const Plane &own = in[0].planes[c], &before = in[isWoven(frame) ? 1 : 0].planes[c];
            Plane& to = out.planes[c];
            const Rect r = to.area();
            for (int y = r.y; y < r.bottom(); ++y) {
                const Plane& from = y % 2 == kept_ ? own : before;
                std::copy_n(from.row(y) + (r.x - from.area().x), r.w, to.row(y));
            }
        }
    }

private:
    bool isWoven(std::int64_t frame) const { return frame > 0 && std::ranges::binary_search(woven_, frame); }
    std::vector<std::int64_t> woven_;
    int kept_; ///< parity of the rows that stay
};

} // namespace

StagePtr filmPictures(StagePtr input, std::vector<std::int64_t> woven, bool keepTop) {
    return std::make_shared<FilmStage>(std::move(input), std::move(woven), keepTop);
}

} // namespace ulm
