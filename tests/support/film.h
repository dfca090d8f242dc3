#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"
#include "tests/support/clips.h"
#include "tests/support/tickets.h"

namespace ulm::test {

/// A clip of numbered frames (see writeClip()), and what becomes of it.
struct Film {
    explicit Film(ClipRecipe recipe = {.width = 128, .height = 64, .frames = 50}) {
        writeClip(folder / "a.mp4", recipe);
        clip = Clip::openVideo(folder / "a.mp4");
        reader = std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, 32 << 20);
    }
    DeliveryPtr with(const std::vector<std::string>& settings, const Inspection& found = {}) const {
        return resolve(reader, found, ticketOf(settings));
    }
    /// The numbers that are seen on the delivered frames.
    std::vector<int> shown(const std::vector<std::string>& settings) const {
        const DeliveryPtr d = with(settings);
        Engine engine(std::size_t(64) << 20);
        std::vector<int> all;
        for (std::int64_t k = 0; k < d->frames(); ++k) {
            const Picture p = engine.pull(*d->result, d->at(k).stage, d->result->format().frame(), {});
            all.push_back(numberOn(p.planes[0]));
        }
        return all;
    }
    Picture frame(std::int64_t n) const { return pulled(with({})->result, n); }
    Picture delivered(const DeliveryPtr& d, std::int64_t k) const { return pulled(d->result, d->at(k).stage); }
    static Picture pulled(const StagePtr& s, std::int64_t n) {
        Engine engine(std::size_t(64) << 20);
        return engine.pull(*s, n, s->format().frame(), {});
    }
    TempFolder folder;
    ClipPtr clip;
    std::shared_ptr<FrameReader> reader;
};

} // namespace ulm::test
