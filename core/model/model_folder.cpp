#include "core/model/model_folder.h"

#include "core/base/error.h"
#include "core/base/file_state.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "core/model/arithmetic.h"

#include <algorithm>
#include <cstdlib>
#include <map>
#include <mutex>

namespace ulm {
namespace {
namespace fs = std::filesystem;

fs::path cardOf(const fs::path& network) { return fs::path(network).replace_extension(".card.json"); }

void checkShape(const Network& n) {
    const auto refuse = [&](const std::string& why) {
        throw Error(Fault::Input, n.file(), "this network does not make pictures of pictures: " + why,
                    "Use one with 1, 3 or 4 channels in and 1 or 3 out that keeps or enlarges the size.");
    };
    const bool ours = n.frames() > 1 || n.levels() > 0;
    if (!ours && n.inputChannels() != 1 && n.inputChannels() != 3 && n.inputChannels() != 4)
        refuse("it takes " + std::to_string(n.inputChannels()) + " channels");
    if (n.outputChannels() != 1 && n.outputChannels() != 3 && n.outputChannels() != 4)
        refuse("it makes " + std::to_string(n.outputChannels()) + " channels");
    if ((n.outputChannels() == 1) != (ours || n.inputChannels() == 1)) refuse("its channels in and out do not fit");
    if (n.scale() < 1 || n.scale() > 8) refuse("it scales by " + std::to_string(n.scale()));
}

fs::path pathOf(const std::string& name) {
    const fs::path path = name;
    std::error_code ec;
    return !path.has_parent_path() && !fs::exists(path, ec) ? modelFolder() / name : path;
}

// Networks that were opened, as long as their files stay as they were.
struct Kept {
    FileState state;
    std::shared_ptr<const Network> network;
};
std::mutex keptMutex;
std::map<fs::path, Kept> kept;

std::shared_ptr<const Network> keptOpen(const fs::path& path) {
    const FileState now = FileState::of(path);
    std::lock_guard lock(keptMutex);
    const auto it = kept.find(path);
    return now.isThere() && it != kept.end() && it->second.state == now ? it->second.network : nullptr;
}

} // namespace

NetworkCard readCard(const fs::path& network) {
    NetworkCard c;
    c.name = network.stem().string();
    const fs::path path = cardOf(network);
    std::error_code ec;
    if (!fs::exists(path, ec)) return c;
    const nlohmann::json j = readJsonFile(path.string());
    const auto broken = [&](const char* what) {
        return Error(Fault::Input, path.string(), what, "Mend the card, or delete it and answer its questions again.");
    };
    if (!j.is_object()) throw broken("the card is not a JSON object");
    const auto text = [&](const char* key, std::string& to) {
        if (j.contains(key) && j[key].is_string()) to = j[key].get<std::string>().substr(0, 400);
    };
    text("name", c.name);
    text("licence", c.licence);
    text("source", c.source);
    std::string order = "rgb";
    text("order", order);
    if (order != "rgb" && order != "bgr") throw broken("\"order\" must be rgb or bgr");
    c.bgr = order == "bgr";
    if (j.contains("range")) {
        if (!j["range"].is_number() || (j["range"] != 1 && j["range"] != 255))
            throw broken("\"range\" must be 1 or 255");
        c.range = j["range"].get<double>();
    }
    c.known = true;
    return c;
}

void writeCard(const fs::path& network, const NetworkCard& c) {
    const nlohmann::json j = {{"name", c.name},
                              {"licence", c.licence},
                              {"source", c.source},
                              {"order", c.bgr ? "bgr" : "rgb"},
                              {"range", c.range}};
    writeFileWhole(cardOf(network).string(), j.dump(2) + "\n");
}

fs::path modelFolder() {
    if (const char* own = std::getenv("ULMWOOD_MODELS"); own && *own) return own;
    if (const char* data = std::getenv("XDG_DATA_HOME"); data && *data) return fs::path(data) / "ulmwood/models";
    const char* home = std::getenv("HOME");
    return fs::path(home && *home ? home : ".") / ".local/share/ulmwood/models";
}

std::vector<fs::path> modelsInFolder() {
    std::vector<fs::path> all;
    std::error_code ec;
    for (fs::directory_iterator it(modelFolder(), ec), end; !ec && it != end && all.size() < 1000; it.increment(ec))
        if (it->path().extension() == ".onnx" && it->is_regular_file(ec)) all.push_back(it->path());
    std::ranges::sort(all);
    return all;
}

UserNetwork openUserNetwork(const std::string& name) {
    const fs::path path = pathOf(name);
    std::shared_ptr<const Network> network = keptOpen(path);
    if (!network) {
        const FileState state = FileState::of(path); // before reading: a later change is noticed
        network = Network::open(path, {NetPrecision::F32, arithmeticPlan().usesGraphics()});
        checkShape(*network);
        std::lock_guard lock(keptMutex);
        if (kept.size() >= 8) kept.clear();
        kept.insert_or_assign(path, Kept{state, network});
    }
    return {network, readCard(path)};
}

bool userNetworkIsOpen(const std::string& name) { return keptOpen(pathOf(name)) != nullptr; }

} // namespace ulm
