#include "core/base/json_file.h"

#include "core/base/error.h"
#include "core/base/files.h"

namespace ulm {

nlohmann::json parseJson(const std::string& text, const std::string& file) {
    const auto shallow = [&](int depth, nlohmann::json::parse_event_t, nlohmann::json&) {
        if (depth > 64)
            throw Error(Fault::Input, file, "it nests too deep to be what it should be", "Choose another file.");
        return true;
    };
    const auto j = nlohmann::json::parse(text, shallow, false);
    if (j.is_discarded())
        throw Error(Fault::Input, file, "it is not JSON", "Choose a file that Ulmwood wrote, or mend it.");
    return j;
}

nlohmann::json readJsonFile(const std::string& path) { return parseJson(readTextFile(path), path); }

} // namespace ulm
