#pragma once

#include "core/model/network.h"

namespace ulm {

/// The networks that ship, built into the program: "general-x2-full" and the like (models/, docs/networks.md). Opened
/// once and kept. Null where there is none of this name, or it does not open: callers fall back and say so.
std::shared_ptr<const Network> shippedNetwork(const std::string& name);

/// "general", "rough" or "drawn"; scale 1 or 2; full (neighbouring frames) or quick. Null where it is missing.
std::shared_ptr<const Network> shippedNetwork(const std::string& kind, int scale, bool full);

/// For tests: as though the program had been built without networks, while this lives.
class WithoutShippedNetworks {
public:
    WithoutShippedNetworks();
    ~WithoutShippedNetworks();
    WithoutShippedNetworks(const WithoutShippedNetworks&) = delete;
    WithoutShippedNetworks& operator=(const WithoutShippedNetworks&) = delete;
};

} // namespace ulm
