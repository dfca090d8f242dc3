#include "core/engine/resample_stage.h"

namespace ulm {
namespace {

PictureFormat sized(PictureFormat f, const ScaleWindow& w) {
    f.width = w.width;
    f.height = w.height;
    return f;
}

// Position maps of a plane follow from those of luma and from where its samples lie in their blocks, on both sides.
AxisMap planeAxis(const AxisMap& luma, int subIn, double offsetIn, int subOut, double offsetOut) {
    const double in = 1 << subIn, out = 1 << subOut;
    const double shiftIn = subIn ? offsetIn : 0, shiftOut = subOut ? offsetOut : 0;
    // Output sample s has its centre at luma position (s + 0.5)·out + shiftOut; carried to the input's luma, then to
    // its own samples, where sample s has its centre at (s + 0.5)·in + shiftIn.
    const double step = luma.step * out / in;
    const double start = (luma.start + shiftOut * luma.step - shiftIn) / in;
    return {start, step};
}

Key keyOf(const StagePtr& input, const WindowPath& path, Kernel kernel, const PictureFormat& output) {
    const ScaleWindow& w = path.still;
    KeyMaker key("scale");
    key.add(input).add(static_cast<int>(kernel)).add(output.subW).add(output.subH).add(output.colour.chromaSite);
    key.add(w.width).add(w.height);
    if (path.at) return key.add(static_cast<std::int64_t>(path.key));
    return key.add(w.x).add(w.y).add(w.w).add(w.h);
}

} // namespace

ResampleStage::ResampleStage(StagePtr input, const WindowPath& windows, Kernel kernel, const PictureFormat& output)
    : Stage({input}, sized(output, windows.still), keyOf(input, windows, kernel, output)), windows_(windows),
      kernel_(kernel) {}

ResampleStage::PlaneMaps ResampleStage::mapsFor(int plane, std::int64_t frame) const {
    const ScaleWindow w = windows_(frame);
    const AxisMap h{w.x, w.w / w.width}, v{w.y, w.h / w.height};
    if (plane == 0) return {h, v};
    const PictureFormat &in = inputs()[0]->format(), &out = format();
    return {planeAxis(h, in.subW, chromaOffset(in.colour.chromaSite, false), out.subW,
                      chromaOffset(out.colour.chromaSite, false)),
            planeAxis(v, in.subH, chromaOffset(in.colour.chromaSite, true), out.subH,
                      chromaOffset(out.colour.chromaSite, true))};
}

std::vector<Need> ResampleStage::needs(std::int64_t frame, const Rect& region) const {
    const PictureFormat& in = inputs()[0]->format();
    Rect all;
    for (int c = 0; c < 2; ++c) {
        const int sw = c ? in.subW : 0, sh = c ? in.subH : 0;
        const Rect o = c ? subsampled(region, format().subW, format().subH) : region;
        const Rect plane = c ? subsampled(in.frame(), in.subW, in.subH) : in.frame();
        const PlaneMaps m = mapsFor(c, frame);
        const Span x = samplesNeeded(kernel_, m.h, o.x, o.w, plane.w),
                   y = samplesNeeded(kernel_, m.v, o.y, o.h, plane.h);
        const Rect luma = Rect{x.first << sw, y.first << sh, x.count << sw, y.count << sh}.intersected(in.frame());
        if (c == 0)
            all = luma;
        else {
            const int l = std::min(all.x, luma.x), t = std::min(all.y, luma.y);
            all = {l, t, std::max(all.right(), luma.right()) - l, std::max(all.bottom(), luma.bottom()) - t};
        }
    }
    return {{0, frame, all}};
}

void ResampleStage::computePlane(int c, std::int64_t frame, const Picture& in, Picture& out) const {
    const PlaneMaps m = mapsFor(c, frame);
    if (m.h.start == 0 && m.h.step == 1 && m.v.start == 0 && m.v.step == 1)
        copySamples(in.planes[c], out.planes[c]);
    else
        resample(in.planes[c], out.planes[c], m.h, m.v, kernel_);
}

void ResampleStage::compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                            const CancelToken& cancel) const {
    for (int c = 0; c < 3; ++c) {
        cancel.check();
        computePlane(c, frame, in[0], out);
    }
}

StagePtr withChroma(StagePtr input, int subW, int subH, int site) {
    PictureFormat f = input->format();
    // Not said means left for 4:2:0 video; only a real difference is worth a pass.
    const auto offset = [](int s, bool v) { return chromaOffset(s, v); };
    const bool sameSite = (!subW || offset(f.colour.chromaSite, false) == offset(site, false)) &&
                          (!subH || offset(f.colour.chromaSite, true) == offset(site, true));
    if (f.subW == subW && f.subH == subH && sameSite) return input;
    f.subW = subW;
    f.subH = subH;
    f.colour.chromaSite = subW || subH ? site : 0;
    const ScaleWindow whole{0, 0, double(f.width), double(f.height), f.width, f.height};
    return std::make_shared<ResampleStage>(input, whole, Kernel::Bicubic, f);
}

} // namespace ulm
