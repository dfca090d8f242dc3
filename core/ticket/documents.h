#pragma once

#include <nlohmann/json.hpp>
#include <string>

namespace ulm {

// Documents that are made from the steps' own descriptions; docs/ticket.md and docs/ticket.schema.json hold them, and a
// test compares. `step`: only this step's keys; empty: all. Errors: Fault::Usage where there is no such step.

/// A line or two a key, for a terminal.
std::string keysText(const std::string& step = "");
/// The table of docs/ticket.md.
std::string keysMarkdown(const std::string& step = "");
/// {"keys": [{"key", "kind", "name", "unit", "least", "most", "choices", "default", "does", "too_much", "acts"}]}
nlohmann::json keysJson(const std::string& step = "");
/// docs/ticket.schema.json.
nlohmann::json ticketSchema();

} // namespace ulm
