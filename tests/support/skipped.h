#pragma once

#include <string>

namespace ulm::test {

/// Tells that the rest of this test case cannot be tried here, and why; the run's last lines count them all.
void skipped(const std::string& why);
/// How many were told.
int skippedCount();

} // namespace ulm::test
