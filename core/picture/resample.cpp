#include "core/picture/resample.h"

#include "core/base/error.h"

#include <cmath>
#include <cstring>
#include <list>
#include <memory>
#include <zimg.h>

namespace ulm {
namespace {

struct GraphKey {
    int inW, inH, outW, outH;
    double left, top, width, height;
    Kernel kernel;
    bool operator==(const GraphKey&) const = default;
};

struct Graph {
    GraphKey key;
    std::unique_ptr<zimg_filter_graph, void (*)(zimg_filter_graph*)> graph;
    std::unique_ptr<void, void (*)(void*)> scratch;
};

// zimg breaks ties of nearest samples by the region it is given; here the plane's own coordinates decide.
void resamplePoint(const Plane& in, Plane& out, const AxisMap& h, const AxisMap& v) {
    const Rect& from = in.area();
    const auto nearest = [](const AxisMap& m, int i, int low, int count) {
        return std::clamp(static_cast<int>(std::floor(m.start + (i + 0.5) * m.step)), low, low + count - 1);
    };
    for (int y = out.area().y; y < out.area().bottom(); ++y) {
        const float* row = in.row(nearest(v, y, from.y, from.h)) - from.x;
        for (int x = 0; x < out.area().w; ++x) out.row(y)[x] = row[nearest(h, x + out.area().x, from.x, from.w)];
    }
}

zimg_resample_filter_e zimgKernel(Kernel k) {
    switch (k) {
    case Kernel::Bilinear: return ZIMG_RESIZE_BILINEAR;
    case Kernel::Bicubic: return ZIMG_RESIZE_BICUBIC;
    case Kernel::Spline36: return ZIMG_RESIZE_SPLINE36;
    default: return ZIMG_RESIZE_LANCZOS;
    }
}

[[noreturn]] void refuse() {
    char text[256] = {};
    zimg_get_last_error(text, sizeof text);
    zimg_clear_last_error();
    throw Error(Fault::Usage, "", std::string("this change of size cannot be computed (") + text + ")",
                "Choose another size.");
}

zimg_image_format imageFormat(int w, int h) {
    zimg_image_format f;
    zimg_image_format_default(&f, ZIMG_API_VERSION);
    f.width = static_cast<unsigned>(w);
    f.height = static_cast<unsigned>(h);
    f.pixel_type = ZIMG_PIXEL_FLOAT;
    f.color_family = ZIMG_COLOR_GREY;
    f.pixel_range = ZIMG_RANGE_FULL;
    return f;
}

Graph build(const GraphKey& key) {
    zimg_image_format in = imageFormat(key.inW, key.inH), out = imageFormat(key.outW, key.outH);
    in.active_region = {key.left, key.top, key.width, key.height};
    zimg_graph_builder_params params;
    zimg_graph_builder_params_default(&params, ZIMG_API_VERSION);
    params.resample_filter = zimgKernel(key.kernel);
    if (key.kernel == Kernel::Lanczos) params.filter_param_a = 3;
    // Not AUTO_64B: zimg 3.0.4's AVX-512 kernels weigh samples wrongly for outputs a few pixels across.
    params.cpu_type = ZIMG_CPU_AUTO;
    Graph g{key, {zimg_filter_graph_build(&in, &out, &params), zimg_filter_graph_free}, {nullptr, std::free}};
    if (!g.graph) refuse();
    std::size_t bytes = 0;
    if (zimg_filter_graph_get_tmp_size(g.graph.get(), &bytes)) refuse();
    g.scratch.reset(std::aligned_alloc(64, (bytes + 127) / 64 * 64));
    if (!g.scratch) throw std::bad_alloc();
    return g;
}

// Building a graph computes its filters, about a millisecond: spots ask for the same shapes again and again.
Graph& graphFor(const GraphKey& key) {
    thread_local std::list<Graph> recent;
    for (auto it = recent.begin(); it != recent.end(); ++it)
        if (it->key == key) {
            recent.splice(recent.begin(), recent, it);
            return recent.front();
        }
    recent.push_front(build(key));
    if (recent.size() > 48) recent.pop_back();
    return recent.front();
}

bool aligned(const Plane& p) {
    return reinterpret_cast<std::uintptr_t>(p.row(p.area().y)) % 64 == 0 && p.stride() % 16 == 0;
}

} // namespace

bool kernelFromName(const std::string& name, Kernel& out) {
    static constexpr std::pair<const char*, Kernel> kNames[] = {{"bilinear", Kernel::Bilinear},
                                                                {"bicubic", Kernel::Bicubic},
                                                                {"spline36", Kernel::Spline36},
                                                                {"lanczos", Kernel::Lanczos},
                                                                {"point", Kernel::Point}};
    for (const auto& [n, k] : kNames)
        if (name == n) {
            out = k;
            return true;
        }
    return false;
}

int kernelReach(Kernel kernel, double step) {
    const double support = kernel == Kernel::Point      ? 1
                           : kernel == Kernel::Bilinear ? 1
                           : kernel == Kernel::Bicubic  ? 2
                                                        : 3;
    return static_cast<int>(std::ceil(support * std::max(1.0, step))) + 1;
}

Span samplesNeeded(Kernel kernel, const AxisMap& map, int first, int count, int size) {
    const int reach = kernelReach(kernel, map.step);
    const double low = map.start + first * map.step, high = map.start + (first + count) * map.step;
    const int a = std::clamp(static_cast<int>(std::floor(low)) - reach, 0, size - 1);
    const int b = std::clamp(static_cast<int>(std::ceil(high)) + reach, a + 1, size);
    return {a, b - a};
}

void resample(const Plane& given, Plane& out, const AxisMap& h, const AxisMap& v, Kernel kernel) {
    if (kernel == Kernel::Point) return resamplePoint(given, out, h, v);
    // zimg wants aligned rows; a view into a larger plane may start anywhere.
    const Plane in = aligned(given) ? given : given.copy();
    const Rect &from = in.area(), &to = out.area();
    const GraphKey key{
        from.w,        from.h,        to.w,  to.h, h.start + to.x * h.step - from.x, v.start + to.y * v.step - from.y,
        to.w * h.step, to.h * v.step, kernel};
    Plane target = aligned(out) ? out : Plane::make(to);
    Graph& g = graphFor(key);
    zimg_image_buffer_const src = {ZIMG_API_VERSION, {}};
    zimg_image_buffer dst = {ZIMG_API_VERSION, {}};
    src.plane[0] = {in.row(from.y), static_cast<std::ptrdiff_t>(in.stride() * sizeof(float)), ZIMG_BUFFER_MAX};
    dst.plane[0] = {target.row(to.y), static_cast<std::ptrdiff_t>(target.stride() * sizeof(float)), ZIMG_BUFFER_MAX};
    if (zimg_filter_graph_process(g.graph.get(), &src, &dst, g.scratch.get(), nullptr, nullptr, nullptr, nullptr))
        refuse();
    if (!aligned(out)) copySamples(target, out);
}

double chromaOffset(int site, bool vertical) {
    const bool left = site == 0 || site == 1 || site == 3 || site == 5;
    const bool top = site == 3 || site == 4, bottom = site == 5 || site == 6;
    if (!vertical) return left ? -0.5 : 0.0;
    return top ? -0.5 : bottom ? 0.5 : 0.0;
}

} // namespace ulm
