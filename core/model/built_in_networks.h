#pragma once

#include <vector>

namespace ulm {

/// A file of models/, kept in the program by the build.
struct BuiltInNetwork {
    const char* name; ///< without its ending
    const unsigned char *bytes, *end;
};
const std::vector<BuiltInNetwork>& builtInNetworks();

} // namespace ulm
