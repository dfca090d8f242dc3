#include "core/engine/local_stage.h"

namespace ulm {

void LocalLumaStage::compute(std::int64_t frame, std::span<const Picture> in, Picture& out,
                             const CancelToken& cancel) const {
    cancel.check();
    copySamples(treat(in[0].planes[0], frame), out.planes[0]);
    for (int c : {1, 2}) copySamples(in[0].planes[c], out.planes[c]);
}

} // namespace ulm
