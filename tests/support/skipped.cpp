#include "tests/support/skipped.h"

#include <catch2/catch.hpp>

namespace ulm::test {
namespace {
int count = 0;
}

void skipped(const std::string& why) {
    ++count;
    WARN("SKIPPED: " << why);
}

int skippedCount() { return count; }

} // namespace ulm::test
