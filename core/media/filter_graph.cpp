#include "core/media/filter_graph.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavutil/mem.h>
}

#include <new>

namespace ulm {

void FilterGraph::clear() {
    avfilter_graph_free(&graph_);
    in_ = out_ = nullptr;
}

int FilterGraph::build(const char* source, const std::string& options, const std::string& chain, const char* sink) {
    clear();
    graph_ = avfilter_graph_alloc();
    if (!graph_) throw std::bad_alloc();
    graph_->nb_threads = 1;
    int e = avfilter_graph_create_filter(&in_, avfilter_get_by_name(source), "in", options.c_str(), nullptr, graph_);
    if (e >= 0) e = avfilter_graph_create_filter(&out_, avfilter_get_by_name(sink), "out", nullptr, nullptr, graph_);
    if (e < 0) return e;
    AVFilterInOut *begins = avfilter_inout_alloc(), *ends = avfilter_inout_alloc();
    if (!begins || !ends) {
        avfilter_inout_free(&begins);
        avfilter_inout_free(&ends);
        throw std::bad_alloc();
    }
    begins->name = av_strdup("in");
    begins->filter_ctx = in_;
    ends->name = av_strdup("out");
    ends->filter_ctx = out_;
    e = avfilter_graph_parse_ptr(graph_, chain.c_str(), &ends, &begins, nullptr);
    avfilter_inout_free(&begins);
    avfilter_inout_free(&ends);
    return e < 0 ? e : avfilter_graph_config(graph_, nullptr);
}

} // namespace ulm
