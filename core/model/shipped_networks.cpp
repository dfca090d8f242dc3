#include "core/model/shipped_networks.h"

#include "core/model/built_in_networks.h"

#include <atomic>
#include <map>

namespace ulm {
namespace {
std::atomic<int> hidden{0};
}

WithoutShippedNetworks::WithoutShippedNetworks() { ++hidden; }
WithoutShippedNetworks::~WithoutShippedNetworks() { --hidden; }

std::shared_ptr<const Network> shippedNetwork(const std::string& name) {
    if (hidden) return nullptr;
    static std::mutex mutex;
    static std::map<std::string, std::shared_ptr<const Network>> opened;
    std::lock_guard lock(mutex);
    if (const auto it = opened.find(name); it != opened.end()) return it->second;
    std::shared_ptr<const Network> net;
    for (const BuiltInNetwork& b : builtInNetworks())
        if (name == b.name) {
            try {
                net = Network::fromBytes(std::as_bytes(std::span(b.bytes, b.end)), name);
            } catch (const std::exception&) { // a damaged one counts as missing
            }
        }
    return opened[name] = net;
}

std::shared_ptr<const Network> shippedNetwork(const std::string& kind, int scale, bool full) {
    return shippedNetwork(kind + "-x" + std::to_string(scale) + (full ? "-full" : "-quick"));
}

} // namespace ulm
