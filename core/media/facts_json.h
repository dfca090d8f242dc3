#pragma once

#include "core/media/facts.h"

#include <nlohmann/json.hpp>

namespace ulm {

/// As the command line contract has it.
nlohmann::json toJson(const MediaFacts&);

} // namespace ulm
