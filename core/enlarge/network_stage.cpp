#include "core/enlarge/network_stage.h"

#include "core/engine/resample_stage.h"
#include "core/picture/colour.h"

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace ulm {
namespace {

constexpr int kGrid = 16;      // sizes come in steps of this: few shapes are prepared, however regions lie
constexpr int kMostTile = 192; // convolutions run as fast as with small ones (measured), and margins weigh less

int gridded(int extent) { return (extent + kGrid - 1) / kGrid * kGrid; }

int mirrored(int i, int size) {
    if (size == 1) return 0;
    const int k = ((i % (2 * size)) + 2 * size) % (2 * size);
    return k < size ? k : 2 * size - 1 - k;
}

PictureFormat scaled(PictureFormat f, int by) {
    f.width *= by;
    f.height *= by;
    return f;
}

// Runs a network over tiles of a region of planes, mirroring beyond the frame.
class TileRunner {
public:
    TileRunner(const Network& net, const Rect& frame) : net_(net), frame_(frame), by_(static_cast<int>(net.scale())) {}

    // The tiles' inputs that cover an output region, grown by what the network looks at.
    Rect inputOf(const Rect& out) const {
        const int a = net_.align();
        const auto down = [&](int v) { return static_cast<int>(std::floor(double(v) / (by_ * a))) * a; };
        const auto up = [&](int v) { return static_cast<int>(std::ceil(double(v) / (by_ * a))) * a; };
        return Rect{down(out.x), down(out.y), up(out.right()) - down(out.x), up(out.bottom()) - down(out.y)};
    }

    // fill(channel, input rect, samples) writes one channel of a tile's input; take(output rect, samples, stride,
    // plane) hands out what was computed.
    template <class Fill, class Take>
    void run(const Rect& out, const CancelToken& cancel, Fill fill, Take take) const {
        const Rect in = inputOf(out);
        const int a = net_.align(), pad = (net_.margin() + a - 1) / a * a;
        const int wide = networkTile(in.w, a), high = networkTile(in.h, a);
        std::vector<float> input, result;
        for (int y = in.y; y < in.bottom(); y += high)
            for (int x = in.x; x < in.right(); x += wide) {
                cancel.check();
                const Rect core{x, y, std::min(wide, in.right() - x), std::min(high, in.bottom() - y)};
                const Rect whole{core.x - pad, core.y - pad, gridded(core.w) + 2 * pad, gridded(core.h) + 2 * pad};
                const Rect sized{whole.x, whole.y, (whole.w + a - 1) / a * a, (whole.h + a - 1) / a * a};
                const std::size_t plane = static_cast<std::size_t>(sized.w) * sized.h;
                input.resize(plane * net_.inputChannels());
                result.resize(plane * by_ * by_ * net_.outputChannels());
                for (int c = 0; c < net_.inputChannels(); ++c) fill(c, sized, input.data() + plane * c);
                net_.run(input.data(), sized.h, sized.w, result.data());
                const Rect big{core.x * by_, core.y * by_, core.w * by_, core.h * by_};
                take(big.intersected(out), result.data(),
                     Rect{sized.x * by_, sized.y * by_, sized.w * by_, sized.h * by_});
            }
    }

    // One channel from a plane that holds the region asked for, clipped to the frame; the rest is mirrored.
    void gather(const Plane& p, const Rect& wanted, float* to) const {
        const Rect held = p.area(), there = held.intersected(frame_);
        const int first = std::clamp(there.x, wanted.x, wanted.right()),
                  past = std::clamp(there.right(), first, wanted.right());
        for (int y = wanted.y; y < wanted.bottom(); ++y) {
            const float* row = p.row(std::clamp(mirrored(y, frame_.h), held.y, held.bottom() - 1));
            const auto rim = [&](int from, int until) {
                for (int x = from; x < until; ++x)
                    *to++ = row[std::clamp(mirrored(x, frame_.w), held.x, held.right() - 1) - held.x];
            };
            rim(wanted.x, first);
            to = std::copy(row + (first - held.x), row + (past - held.x), to);
            rim(past, wanted.right());
        }
    }

private:
    const Network& net_;
    Rect frame_;
    int by_;
};

void copyTile(const Rect& part, const float* from, const Rect& held, Plane& to) {
    for (int y = part.y; y < part.bottom(); ++y)
        std::copy_n(from + static_cast<std::ptrdiff_t>(y - held.y) * held.w + (part.x - held.x), part.w,
                    to.row(y) + (part.x - to.area().x));
}

// What the network adds to what is there already, by its strength.
void mixTile(const Rect& part, const float* from, const Rect& held, float strength, Plane& to) {
    for (int y = part.y; y < part.bottom(); ++y) {
        const float* learned = from + static_cast<std::ptrdiff_t>(y - held.y) * held.w + (part.x - held.x);
        float* row = to.row(y) + (part.x - to.area().x);
        for (int x = 0; x < part.w; ++x) row[x] += strength * (learned[x] - row[x]);
    }
}

class NetworkStage : public Stage {
public:
    NetworkStage(std::vector<StagePtr> inputs, const PictureFormat& out, Key key, std::shared_ptr<const Network> net)
        : Stage(std::move(inputs), out, key), net_(std::move(net)), tiles_(*net_, this->inputs()[0]->format().frame()) {
    }
    const char* name() const override { return "network"; }
    std::int64_t frames() const override { return inputs()[0]->frames(); }
    // What goes in and out of a tile and two of its layers; runners keep that for a few sizes of tiles.
    std::int64_t workBytes(const Rect&) const override {
        constexpr std::int64_t kFeatures = 32, kSizesKept = 6;
        const Rect all = inputs()[0]->format().frame();
        const std::int64_t w = networkTile(all.w, net_->align()) + 2 * net_->margin(),
                           h = networkTile(all.h, net_->align()) + 2 * net_->margin();
        const auto grown = static_cast<std::int64_t>(net_->scale() * net_->scale() * net_->outputChannels());
        return kSizesKept * w * h * (net_->inputChannels() + grown + 2 * kFeatures) * std::int64_t(sizeof(float));
    }

protected:
    // Mirrored samples come from inside the frame, at most as far from its edge as they lie outside.
    Rect needed(const Rect& region) const {
        const int pad = (net_->margin() + net_->align() + 1) / 2 * 2 + 16;
        return tiles_.inputOf(region).grown(pad).intersected(inputs()[0]->format().frame());
    }

    std::shared_ptr<const Network> net_;
    TileRunner tiles_;
};

class LumaNetworkStage : public NetworkStage {
public:
    LumaNetworkStage(std::vector<StagePtr> inputs, std::shared_ptr<const Network> net, const DamageLevels& levels,
                     Kernel kernel, double strength)
        : NetworkStage(inputs, scaled(inputs[0]->format(), static_cast<int>(net->scale())),
                       keyOf(inputs, *net, levels, kernel, strength), net),
          levels_(levels), strength_(net->scale() > 1 ? static_cast<float>(strength) : 1) {
        const PictureFormat &from = this->inputs()[0]->format(), &to = format();
        filter_ = std::make_unique<ResampleStage>(
            this->inputs()[0], ScaleWindow{0, 0, double(from.width), double(from.height), to.width, to.height}, kernel,
            to);
    }
    std::vector<Need> needs(std::int64_t n, const Rect& region) const override {
        std::vector<Need> all;
        for (std::size_t k = 0; k < inputs().size(); ++k) all.push_back({static_cast<int>(k), n, needed(region)});
        all.push_back({0, n, filter_->needs(n, region)[0].region});
        return all;
    }
    void compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                 const CancelToken& cancel) const override {
        const std::size_t frames = inputs().size();
        const bool mixed = strength_ != 1;
        if (mixed) filter_->computePlane(0, frame, in.back(), out);
        tiles_.run(
            out.area, cancel,
            [&](int c, const Rect& wanted, float* to) {
                const auto k = static_cast<std::size_t>(c);
                if (k < frames) return tiles_.gather(in[k].planes[0], wanted, to);
                std::fill_n(to, wanted.pixels(),
                            static_cast<float>(k == frames       ? levels_.compression
                                               : k == frames + 1 ? levels_.noise
                                                                 : 0));
            },
            [&](const Rect& part, const float* from, const Rect& held) {
                mixed ? mixTile(part, from, held, strength_, out.planes[0]) : copyTile(part, from, held, out.planes[0]);
            });
        if (net_->scale() == 1) {
            for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
        } else {
            for (int c : {1, 2}) filter_->computePlane(c, frame, in.back(), out);
        }
    }

private:
    static Key keyOf(const std::vector<StagePtr>& inputs, const Network& net, const DamageLevels& l, Kernel kernel,
                     double strength) {
        KeyMaker key("network");
        for (const StagePtr& i : inputs) key.add(i);
        return key.add(static_cast<std::int64_t>(net.hash()))
            .add(l.compression)
            .add(l.noise)
            .add(static_cast<int>(kernel))
            .add(strength);
    }
    DamageLevels levels_;
    float strength_;
    std::unique_ptr<ResampleStage> filter_; // chroma, and what luma is mixed with
};

// For networks of three or four channels: the picture as R'G'B' and back.
class ColourNetworkStage : public NetworkStage {
public:
    ColourNetworkStage(StagePtr full, std::shared_ptr<const Network> net, const NetworkInput& form,
                       MatrixWeights matrix)
        : NetworkStage({full}, scaled(full->format(), static_cast<int>(net->scale())),
                       KeyMaker("network")
                           .add(full)
                           .add(static_cast<std::int64_t>(net->hash()))
                           .add(int(form.bgr))
                           .add(form.range),
                       net),
          form_(form), matrix_(matrix) {}
    std::vector<Need> needs(std::int64_t n, const Rect& region) const override { return {{0, n, needed(region)}}; }
    void compute(std::int64_t, std::span<const Picture> in, Picture& out, const CancelToken& cancel) const override {
        Picture rgb = Picture::make(in[0].format, in[0].area);
        for (int c = 0; c < 3; ++c) copySamples(in[0].planes[c], rgb.planes[c]);
        yccToRgb(rgb, matrix_);
        const auto range = static_cast<float>(form_.range);
        const auto plane = [&](int c) { return static_cast<std::size_t>(form_.bgr ? 2 - c : c); };
        tiles_.run(
            out.area, cancel,
            [&](int c, const Rect& wanted, float* to) {
                if (c == 3) return (void)std::fill_n(to, wanted.pixels(), range);
                tiles_.gather(rgb.planes[plane(c)], wanted, to);
                if (range != 1) std::for_each(to, to + wanted.pixels(), [&](float& v) { v *= range; });
            },
            [&](const Rect& part, const float* from, const Rect& held) {
                for (int c = 0; c < 3; ++c) copyTile(part, from + held.pixels() * c, held, out.planes[plane(c)]);
            });
        if (range != 1)
            for (Plane& p : out.planes)
                for (int y = p.area().y; y < p.area().bottom(); ++y)
                    for (int x = 0; x < p.area().w; ++x) p.row(y)[x] /= range;
        rgbToYcc(out, matrix_);
    }

private:
    NetworkInput form_;
    MatrixWeights matrix_;
};

} // namespace

int networkTile(int extent, int align) {
    const int count = std::max(1, (extent + kMostTile - 1) / kMostTile);
    const int even = count > 1 ? gridded((extent + count - 1) / count) : extent;
    return std::max((even + align - 1) / align * align, align);
}

StagePtr throughNetwork(StagePtr input, std::vector<StagePtr> neighbours, std::shared_ptr<const Network> net,
                        const DamageLevels& levels, Kernel kernel, const NetworkInput& form, double strength) {
    if (net->scale() < 1) throw std::logic_error("throughNetwork: the network makes pictures smaller");
    if (net->outputChannels() == 1) {
        neighbours.insert(neighbours.begin(), std::move(input));
        if (neighbours.size() != static_cast<std::size_t>(net->frames()))
            throw std::logic_error("throughNetwork: the network wants other neighbours");
        return std::make_shared<LumaNetworkStage>(std::move(neighbours), std::move(net), levels, kernel, strength);
    }
    const PictureFormat was = input->format();
    const MatrixWeights matrix = matrixWeights(was.colour.matrix);
    StagePtr out = std::make_shared<ColourNetworkStage>(withChroma(input, 0, 0, 0), std::move(net), form, matrix);
    return withChroma(out, was.subW, was.subH, was.colour.chromaSite);
}

} // namespace ulm
