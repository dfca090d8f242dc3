#pragma once

#include "core/model/network.h"

namespace ulm {

/// What a network's file does not say; kept beside it as NAME.card.json.
struct NetworkCard {
    std::string name, licence, source;
    bool bgr = false;   ///< its channels are blue, green, red
    double range = 1;   ///< its value of white: 1 or 255
    bool known = false; ///< there is a card; else these are guesses
    bool operator==(const NetworkCard&) const = default;
};
/// Errors: Fault::Input where the card is there but no such card.
NetworkCard readCard(const std::filesystem::path& network);
/// Errors: Fault::Output.
void writeCard(const std::filesystem::path& network, const NetworkCard&);

/// Where people put networks of their own: the folder in ULMWOOD_MODELS, else ulmwood/models in the user's data folder.
std::filesystem::path modelFolder();
/// The ONNX files in it, sorted by name. Empty where there is no folder.
std::vector<std::filesystem::path> modelsInFolder();

struct UserNetwork {
    std::shared_ptr<const Network> network;
    NetworkCard card;
};
/// `name`: a path, or a file's name in modelFolder(). Kept open while the file stays as it is.
/// Errors: Fault::Input: not found, unreadable, hostile, or not one picture in (1, 3 or 4 channels) and one out.
UserNetwork openUserNetwork(const std::string& name);
/// Whether openUserNetwork() would answer at once: opening a large file takes a while.
bool userNetworkIsOpen(const std::string& name);

} // namespace ulm
