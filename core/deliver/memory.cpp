#include "core/deliver/memory.h"

#include "core/codec/video_codec.h"
#include "core/deliver/forecast.h"

#include <algorithm>
#include <cmath>
#include <set>
#include <sstream>

namespace ulm {
namespace {

constexpr std::int64_t kProgram = std::int64_t(150) << 20; // code, networks, tables

std::int64_t pictureBytes(const PictureFormat& f, int bytesASample) {
    const std::int64_t luma = std::int64_t(f.width) * f.height;
    return bytesASample * (luma + 2 * ((luma >> f.subW) >> f.subH));
}

// The most that one step of the chain holds: what it reads and what it writes.
std::int64_t heaviestStep(const Stage& s, std::set<const Stage*>& seen) {
    if (!seen.insert(&s).second) return 0;
    std::int64_t here = pictureBytes(s.format(), 4), below = 0;
    for (const StagePtr& i : s.inputs()) {
        here += pictureBytes(i->format(), 4);
        below = std::max(below, heaviestStep(*i, seen));
    }
    return std::max(here, below);
}

std::string gigabytes(std::int64_t bytes) {
    std::ostringstream s;
    s.precision(1);
    s << std::fixed << double(bytes) / 1e9 << " GB";
    return s.str();
}

} // namespace

std::int64_t renderBytes(const Delivery& p, int cores, std::int64_t cacheBytes) {
    std::set<const Stage*> seen;
    const PictureFormat& f = p.result->format();
    const std::int64_t step = heaviestStep(*p.result, seen) * bandRows(f) / f.height, delivered = pictureBytes(f, 1);
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
