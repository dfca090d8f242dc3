#include "tests/support/mutate.h"

#include <algorithm>
#include <array>

namespace ulm::test {

std::string mutated(std::string bytes, std::mt19937& random) {
    const auto below = [&](std::size_t n) { return n ? random() % n : 0; };
    const int times = 1 + static_cast<int>(below(6));
    for (int i = 0; i < times && !bytes.empty(); ++i) {
        const std::size_t at = below(bytes.size()), n = 1 + below(std::min<std::size_t>(bytes.size() - at, 400));
        switch (below(9)) {
        case 0: bytes[at] = static_cast<char>(bytes[at] ^ (1 << below(8))); break;
        case 1:
            for (std::size_t k = 0; k < n / 8 + 1; ++k) bytes[below(bytes.size())] = static_cast<char>(random());
            break;
        case 2: bytes.erase(at, n); break;
        case 3: bytes.insert(at, bytes.substr(at, n)); break;
        case 4: std::fill_n(bytes.begin() + static_cast<std::ptrdiff_t>(at), n, '\0'); break;
        case 5: bytes.resize(at); break;
        case 6: { // four bytes that are a length or a count, perhaps
            static constexpr std::array<const char*, 5> kExtreme = {"\xFF\xFF\xFF\xFF", "\x7F\xFF\xFF\xFF",
                                                                    "\x80\0\0\0", "\0\0\0\1", "\xFF\xFF\xFF\x7F"};
            const char* e = kExtreme[below(kExtreme.size())];
            for (std::size_t k = 0; k < 4 && at + k < bytes.size(); ++k) bytes[at + k] = e[k];
            break;
        }
        case 7: { // a number written out
            static constexpr std::array<const char*, 8> kNumbers = {
                "-1", "1e308", "99999999999999999999", "0", "NaN", "null", "1e-320", "\"x\""};
            const auto digit = bytes.find_first_of("0123456789", at);
            if (digit != std::string::npos) {
                const auto end = bytes.find_first_not_of("0123456789.", digit);
                bytes.replace(digit, std::min(end, bytes.size()) - digit, kNumbers[below(kNumbers.size())]);
            }
            break;
        }
        default: { // a piece at another place
            const std::string piece = bytes.substr(at, n);
            bytes.erase(at, n);
            bytes.insert(below(bytes.size() + 1), piece);
        }
        }
    }
    return bytes;
}

} // namespace ulm::test
