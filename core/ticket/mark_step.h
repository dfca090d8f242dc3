#pragma once

#include <string>

namespace ulm {

/// A mark's picture was read and has not changed: using it again answers at once.
bool markFileIsKept(const std::string& path);
/// Reads one. Errors: as readPng().
void openMarkFile(const std::string& path);

} // namespace ulm
