#pragma once

#include <nlohmann/json.hpp>
#include <string>

namespace ulm {

/// Parses JSON from a stranger: at most 16 MiB and 64 levels deep. Errors: Fault::Input naming `file`.
nlohmann::json parseJson(const std::string& text, const std::string& file);
nlohmann::json readJsonFile(const std::string& path);

} // namespace ulm
