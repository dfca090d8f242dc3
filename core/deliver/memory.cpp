#include "core/deliver/memory.h"

#include "core/codec/video_codec.h"
#include "core/deliver/forecast.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <sstream>

namespace ulm {
namespace {

constexpr std::int64_t kProgram = std::int64_t(230) << 20; // code, networks, tables

std::int64_t pictureBytes(const PictureFormat& f, int bytesASample) {
    const std::int64_t luma = std::int64_t(f.width) * f.height;
    return bytesASample * (luma + 2 * ((luma >> f.subW) >> f.subH));
}

std::int64_t regionBytes(const PictureFormat& f, const Rect& r) {
    return r.empty() ? 0
                     : static_cast<std::int64_t>(double(pictureBytes(f, 4)) * r.w * r.h / (double(f.width) * f.height));
}

// The most that is held while a region of a frame is made: the inputs that are there already while the next one is
// made, and at the end all of them, the result and what making it takes. `known`: of stages asked before, for several
// others look at about the same place of one.
std::int64_t heldFor(const Stage& s, std::int64_t frame, const Rect& region,
                     std::map<const Stage*, std::int64_t>& known) {
    if (const auto it = known.find(&s); it != known.end()) return it->second;
    std::vector<Need> needs = s.needs(std::clamp<std::int64_t>(frame, 0, s.frames() - 1), region);
    if (!s.inputs().empty()) {
        const PictureFormat &to = s.format(), &from = s.inputs()[0]->format();
        const Rect there{0, 0, from.width, std::max(2, from.height * region.h / std::max(1, to.height))};
        for (int i = 0; i < s.laterNeeds(); ++i) needs.push_back({0, frame, there.intersected(from.frame())});
    }
    std::int64_t inputs = 0, most = 0;
    for (const Need& n : needs) {
        const Stage& input = *s.inputs()[static_cast<std::size_t>(n.input)];
        most = std::max(most, inputs + heldFor(input, n.frame, n.region, known));
        inputs += regionBytes(input.format(), n.region);
    }
    most = std::max(most, inputs + regionBytes(s.format(), region) + s.workBytes(region));
    known.emplace(&s, most);
    return most;
}

std::string gigabytes(std::int64_t bytes) {
    std::ostringstream s;
    s.precision(1);
    s << std::fixed << double(bytes) / 1e9 << " GB";
    return s.str();
}

} // namespace

std::int64_t renderBytes(const Delivery& p, int cores, std::int64_t cacheBytes) {
    const PictureFormat& f = p.result->format();
    const std::int64_t delivered = pictureBytes(f, 1);
    std::int64_t step = 0; // of frames that are made, and of those that are not
    for (std::int64_t k = p.frames() / 2; k < std::min(p.frames() / 2 + 3, p.frames()); ++k) {
        std::map<const Stage*, std::int64_t> known;
        step =
            std::max(step, heldFor(*p.result, p.at(k).stage, {0, 0, f.width, std::min(bandRows(f), f.height)}, known));
    }
    // Frames of the encoder's own kind are padded and have smaller copies.
    const std::int64_t encoder = videoCodec(p.ticket.deliver.codec).framesHeld(f.width, f.height) * delivered * 8 / 5;
    return kProgram + cacheBytes + cores * step + (cores + 2) * delivered + encoder;
}

void requireMemory(const Delivery& p, std::int64_t needed, std::int64_t free, const std::string& source) {
    if (needed <= free) return;
    const double share = std::sqrt(double(free) / double(needed)) * 0.9;
    const int w = static_cast<int>(p.size().w * share) / 2 * 2, h = static_cast<int>(p.size().h * share) / 2 * 2;
    throw Error(Fault::CannotFit, source,
                std::to_string(p.size().w) + "×" + std::to_string(p.size().h) + " takes about " + gigabytes(needed) +
                    " of memory; " + gigabytes(free) + " are free",
                "Choose " + std::to_string(std::max(2, w)) + "×" + std::to_string(std::max(2, h)) +
                    " or less, or close other programs.");
}

} // namespace ulm
