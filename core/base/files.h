#pragma once

#include <string>

namespace ulm {

/// Reads a text file of at most `most` bytes. Errors: Fault::Input.
std::string readTextFile(const std::string& path, std::size_t most = 16u << 20);

/// Writes beside the file first, then puts it in its place: whole, or not at all. Errors: Fault::Output.
void writeFileWhole(const std::string& path, const std::string& text);

} // namespace ulm
