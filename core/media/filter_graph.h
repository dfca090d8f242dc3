#pragma once

#include <string>

struct AVFilterGraph;
struct AVFilterContext;

namespace ulm {

/// A chain of libavfilter's filters between what is put in and what comes out, on one thread. Not thread safe.
class FilterGraph {
public:
    FilterGraph() = default;
    ~FilterGraph() { clear(); }
    FilterGraph(const FilterGraph&) = delete;
    FilterGraph& operator=(const FilterGraph&) = delete;

    /// `source`: "buffer" or "abuffer", and its options; `sink`: "buffersink" or "abuffersink". Replaces what was
    /// there. Returns libav*'s code, negative where it cannot be built.
    int build(const char* source, const std::string& options, const std::string& chain, const char* sink);
    void clear();

    explicit operator bool() const { return graph_; }
    AVFilterContext* in() const { return in_; }
    AVFilterContext* out() const { return out_; }

private:
    AVFilterGraph* graph_ = nullptr;
    AVFilterContext *in_ = nullptr, *out_ = nullptr;
};

} // namespace ulm
