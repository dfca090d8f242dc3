#define CATCH_CONFIG_MAIN
#define CATCH_CONFIG_EXTERNAL_INTERFACES
#include "tests/support/skipped.h"

#include <catch2/catch.hpp>
#include <iostream>

namespace {

struct Skips : Catch::TestEventListenerBase {
    using TestEventListenerBase::TestEventListenerBase;
    void testRunEnded(const Catch::TestRunStats& run) override {
        TestEventListenerBase::testRunEnded(run);
        if (const int n = ulm::test::skippedCount()) std::cout << n << " skipped; the reasons stand above\n";
    }
};
CATCH_REGISTER_LISTENER(Skips)

} // namespace
