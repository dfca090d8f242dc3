#include "core/inspect/fields.h"

extern "C" {
#include <libavutil/pixdesc.h>
}

#include <algorithm>
#include <array>

namespace ulm {
namespace {

// Looked at in bands of whole rows: combs show wherever something moves.
constexpr int kBand = 18, kLeastApart = 54, kMostBands = 10;
constexpr int kTooth = 10; // steps by which a line stands out from both beside it
constexpr int kCycle = 5;

// Reused from band to band: memory anew for each costs more than the counting.
class Teeth {
public:
    // How many samples of a band stand out from both the line above and the one below by more than those differ.
    int count(const cv::Mat& band) {
        const cv::Mat above = band.rowRange(0, kBand - 2), line = band.rowRange(1, kBand - 1),
                      below = band.rowRange(2, kBand);
        cv::max(above, below, high_);
        cv::min(above, below, low_);
        cv::subtract(line, high_, out_); // saturates at 0
        cv::subtract(low_, line, under_);
        cv::max(out_, under_, out_);
        cv::subtract(high_, low_, high_);
        cv::compare(out_, high_, high_, cv::CMP_GT);
        cv::compare(out_, kTooth, out_, cv::CMP_GT);
        cv::bitwise_and(out_, high_, out_);
        return cv::countNonZero(out_);
    }
    // The same of the rows of this parity from one band, the others from another.
    int count(const cv::Mat& own, const cv::Mat& other, int parity) {
        other.copyTo(woven_);
        for (int y = parity; y < kBand; y += 2) std::copy_n(own.ptr(y), own.cols, woven_.ptr(y));
        return count(woven_);
    }

private:
    cv::Mat high_, low_, out_, under_, woven_;
};

} // namespace

void FieldFinder::add(const AVFrame& f) {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(static_cast<AVPixelFormat>(f.format));
    combs_.push_back({});
    if (!d || d->comp[0].depth != 8 || d->comp[0].step != 1 || !f.data[0] || f.width < 16 || f.height < 64) {
        last_.clear();
        return;
    }
    // Bands begin on even rows, so that parity is the frame's own.
    const int apart = std::max(kLeastApart, f.height / kMostBands / 2 * 2), bands = (f.height - kBand) / apart + 1;
    std::vector<cv::Mat> now;
    for (int i = 0; i < bands; ++i)
        now.push_back(cv::Mat(kBand, f.width, CV_8U, f.data[0] + std::ptrdiff_t(i * apart) * f.linesize[0],
                              std::size_t(f.linesize[0]))
                          .clone());
    const double samples = double(bands) * (kBand - 2) * f.width;
    const bool two = last_.size() == now.size() && last_[0].cols == f.width;
    Combs& c = combs_.back();
    Teeth teeth;
    for (std::size_t i = 0; i < now.size(); ++i) {
        const cv::Mat& before = two ? last_[i] : now[i];
        c.own += teeth.count(now[i]) / samples;
        c.withTop += teeth.count(now[i], before, 0) / samples;
        c.withBottom += teeth.count(now[i], before, 1) / samples;
    }
    last_ = std::move(now);
}

Pulldown FieldFinder::pulldown(const std::vector<std::int64_t>& cuts) const {
    // A frame's combs are gone once a field of the frame before takes their place.
    constexpr double kGone = 1.12, kLeast = 1e-4;
    const auto frames = static_cast<std::int64_t>(combs_.size());
    const auto mended = [&](std::int64_t n, bool topFirst) {
        const Combs& c = combs_[std::size_t(n)];
        return c.own > kGone * (topFirst ? c.withTop : c.withBottom) + kLeast;
    };
    std::vector<std::int64_t> starts = cuts;
    starts.insert(starts.begin(), 0);
    starts.push_back(frames);
    Pulldown best;
    for (const bool topFirst : {true, false}) {
        Pulldown p;
        p.topFirst = topFirst;
        std::int64_t hits = 0, misses = 0;
        int last = -1;
        for (std::size_t s = 0; s + 1 < starts.size(); ++s) {
            const std::int64_t from = starts[s], to = std::max(from, starts[s + 1]);
            std::array<std::int64_t, kCycle> at{};
            for (std::int64_t n = from + (from == starts[s] ? 1 : 0); n < to; ++n)
                at[std::size_t(n % kCycle)] += mended(n, topFirst);
            // Both places of the cycle count as often as the rarer of them.
            int phase = 0;
            std::int64_t most = -1, all = 0;
            for (int k = 0; k < kCycle; ++k) {
                all += at[std::size_t(k)];
                const std::int64_t pair = std::min(at[std::size_t(k)], at[std::size_t((k + 1) % kCycle)]);
                if (pair > most) most = pair, phase = k;
            }
            const std::int64_t both = at[std::size_t(phase)] + at[std::size_t((phase + 1) % kCycle)];
            hits += both, misses += all - both;
            if (most == 0) phase = last; // nothing moves in it: it goes on as the shot before
            if (phase < 0) continue;
            last = phase;
            for (std::int64_t n = from; n < to; ++n) {
                const auto place = (n - phase + kCycle) % kCycle;
                if (place > 1 || (n == from && from > 0 && !mended(n, topFirst))) continue;
                if (n > 0) p.woven.push_back(n);
                if (place == 0 && n > 0) p.repeats.push_back(n);
            }
        }
        const bool is = hits >= 6 && misses <= hits / 6 && hits >= std::int64_t(p.woven.size()) / 3;
        if (is && p.woven.size() > best.woven.size()) best = p;
    }
    return best;
}

} // namespace ulm
