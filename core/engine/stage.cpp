#include "core/engine/stage.h"

#include <cstring>
#include <string>
#define XXH_INLINE_ALL
#include <xxhash.h>

namespace ulm {

std::vector<Need> Stage::needs(std::int64_t frame, const Rect& region) const {
    const Rect wanted = region.grown(margin()).intersected(inputs().front()->format().frame());
    const std::int64_t last = inputs().front()->frames() - 1;
    std::vector<Need> all;
    for (int d = -temporalRadius(); d <= temporalRadius(); ++d)
        if (frame + d >= 0 && frame + d <= last) all.push_back({0, frame + d, wanted});
    return all;
}

KeyMaker::KeyMaker(const char* name) { add(name, std::strlen(name)); }

KeyMaker& KeyMaker::add(const void* bytes, std::size_t count) {
    key_ = XXH3_64bits_withSeed(bytes, count, key_);
    return *this;
}

KeyMaker& KeyMaker::add(const std::string& text) { return add(text.data(), text.size()); }

} // namespace ulm
