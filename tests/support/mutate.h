#pragma once

#include <random>
#include <string>

namespace ulm::test {

/// `bytes` damaged the ways that files are: bits and bytes changed, pieces cut out, doubled, moved or filled with
/// zeros, numbers made extreme, the end missing. The same for the same state of `random`.
std::string mutated(std::string bytes, std::mt19937& random);

} // namespace ulm::test
