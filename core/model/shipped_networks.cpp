#include "core/model/shipped_networks.h"

#include "core/model/arithmetic.h"
#include "core/model/built_in_networks.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <list>
#include <map>
#include <mutex>
#include <tuple>

namespace ulm {
namespace {

std::atomic<int> hidden{0};

constexpr std::size_t kMixturesKept = 8; // each holds what it has prepared for several sizes

const BuiltInNetwork* builtIn(const std::string& name) {
    const auto& all = builtInNetworks();
    const auto it = std::ranges::find_if(all, [&](const BuiltInNetwork& b) { return name == b.name; });
    return it == all.end() ? nullptr : &*it;
}

std::span<const std::byte> bytesOf(const BuiltInNetwork& b) { return std::as_bytes(std::span(b.bytes, b.end)); }

// Opened by `open` where it can be; a damaged one counts as missing.
template <class Open>
std::shared_ptr<const Network> opened(const Open& open) {
    try {
        return open();
    } catch (const std::exception&) {
        return nullptr;
    }
}

std::string nameOf(const std::string& kind, int scale, bool full) {
    return kind + "-x" + std::to_string(scale) + (full ? "-full" : "-quick");
}

} // namespace

WithoutShippedNetworks::WithoutShippedNetworks() { ++hidden; }
WithoutShippedNetworks::~WithoutShippedNetworks() { --hidden; }

std::shared_ptr<const Network> shippedNetwork(const std::string& name, std::optional<Arithmetic> arithmetic) {
    if (hidden) return nullptr;
    static std::mutex mutex;
    static std::map<std::pair<std::string, Arithmetic>, std::shared_ptr<const Network>> all;
    const std::pair wanted(name, arithmetic ? *arithmetic : arithmeticPlan().arithmetic());
    std::lock_guard lock(mutex);
    if (const auto it = all.find(wanted); it != all.end()) return it->second;
    const BuiltInNetwork* b = builtIn(name);
    return all[wanted] = b ? opened([&] { return Network::fromBytes(bytesOf(*b), name, wanted.second); }) : nullptr;
}

bool hasCrispNetwork(const std::string& kind, int scale, bool full) {
    return !hidden && builtIn(nameOf(kind, scale, full) + "-crisp");
}

std::shared_ptr<const Network> shippedNetwork(const std::string& kind, int scale, bool full, double crisp) {
    const std::string name = nameOf(kind, scale, full);
    const int share = static_cast<int>(std::lround(100 * std::clamp(crisp, 0.0, 1.0)));
    const BuiltInNetwork *faithful = builtIn(name), *other = builtIn(name + "-crisp");
    if (hidden || share == 0 || !faithful || !other) return shippedNetwork(name);
    if (share == 100) return shippedNetwork(name + "-crisp");
    static std::mutex mutex;
    static std::list<std::pair<std::tuple<std::string, int, Arithmetic>, std::shared_ptr<const Network>>>
        kept; // newest first
    const std::tuple wanted(name, share, arithmeticPlan().arithmetic());
    std::lock_guard lock(mutex);
    const auto it = std::ranges::find_if(kept, [&](const auto& k) { return k.first == wanted; });
    if (it != kept.end()) {
        kept.splice(kept.begin(), kept, it);
    } else {
        kept.emplace_front(wanted, opened([&] {
                               return Network::between(bytesOf(*faithful), bytesOf(*other), share / 100.0, name,
                                                       std::get<Arithmetic>(wanted));
                           }));
        if (kept.size() > kMixturesKept) kept.pop_back();
    }
    return kept.front().second ? kept.front().second : shippedNetwork(name);
}

} // namespace ulm
