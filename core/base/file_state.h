#pragma once

#include <cstdint>
#include <string>

namespace ulm {

/// What tells whether a file was written anew: its size, and when it was last written.
struct FileState {
    std::int64_t bytes = -1;  ///< −1: it is not there, or cannot be looked at
    std::int64_t written = 0; ///< ticks of the file system's clock

    bool isThere() const { return bytes >= 0; }
    bool operator==(const FileState&) const = default;
    static FileState of(const std::string& path);
};

} // namespace ulm
