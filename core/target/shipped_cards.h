#pragma once

#include <vector>

namespace ulm {

/// The JSON texts of core/deliver/cards, built into the library.
const std::vector<const char*>& shippedCards();

} // namespace ulm
