#include "core/base/file_state.h"

#include <filesystem>

namespace ulm {

FileState FileState::of(const std::string& path) {
    std::error_code size, time;
    const auto bytes = std::filesystem::file_size(path, size);
    const auto written = std::filesystem::last_write_time(path, time);
    if (size || time) return {};
    return {static_cast<std::int64_t>(bytes), static_cast<std::int64_t>(written.time_since_epoch().count())};
}

} // namespace ulm
