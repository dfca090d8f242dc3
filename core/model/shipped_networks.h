#pragma once

#include "core/model/network.h"

#include <optional>

namespace ulm {

/// The networks that ship, built into the program: "general-x2-full" and the like (models/, docs/networks.md). Opened
/// once and kept. Null where there is none of this name, or it does not open: callers fall back and say so. They
/// compute as arithmeticPlan() says; `arithmetic` where a measurement needs another.
std::shared_ptr<const Network> shippedNetwork(const std::string& name, std::optional<Arithmetic> arithmetic = {});

/// "general", "rough" or "drawn"; scale 1 or 2; full (neighbouring frames) or quick; crisp: from the faithful network
/// (0: least error) to the crisp one (1: looks real), in steps of a hundredth. Faithful where there is no crisp one;
/// null where it is missing itself.
std::shared_ptr<const Network> shippedNetwork(const std::string& kind, int scale, bool full, double crisp = 0);

/// Whether a crisp network ships for it.
bool hasCrispNetwork(const std::string& kind, int scale, bool full);

/// For tests: as though the program had been built without networks, while this lives.
class WithoutShippedNetworks {
public:
    WithoutShippedNetworks();
    ~WithoutShippedNetworks();
    WithoutShippedNetworks(const WithoutShippedNetworks&) = delete;
    WithoutShippedNetworks& operator=(const WithoutShippedNetworks&) = delete;
};

} // namespace ulm
