#include "core/target/own_target.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"

#include <algorithm>
#include <filesystem>

namespace ulm {
namespace {

using nlohmann::json;
namespace fs = std::filesystem;

// Letters and figures of the title, in lower case, with a hyphen for all else: what --target takes, and a file's name.
std::string nameFrom(const std::string& title, const std::vector<Target>& all, const std::string& folder) {
    constexpr std::size_t kLongest = 40;
    std::string name;
    for (const char c : title) {
        const bool plain = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9'), capital = c >= 'A' && c <= 'Z';
        if (plain || capital)
            name += capital ? char(c - 'A' + 'a') : c;
        else if (!name.empty() && name.back() != '-')
            name += '-';
    }
    name = name.substr(0, kLongest);
    while (!name.empty() && name.back() == '-') name.pop_back();
    if (name.empty()) name = "mine";
    const auto taken = [&](const std::string& n) {
        return std::ranges::find(all, n, &Target::name) != all.end() || fs::exists(folder + "/" + n + ".json");
    };
    std::string free = name;
    for (int k = 2; taken(free); ++k) free = name + "-" + std::to_string(k);
    return free;
}

} // namespace

bool isOwn(const Target& t) {
    const std::vector<std::string> folders = targetFolders();
    return !t.file.empty() && !folders.empty() && fs::path(t.file).parent_path() == fs::path(folders.front());
}

Target saveOwnTarget(Target t, const std::vector<Target>& all) {
    if (t.title.empty()) throw Error(Fault::Usage, "", "a destination needs a name", "Give it one.");
    if (t.file.empty()) {
        const std::vector<std::string> folders = targetFolders();
        if (folders.empty())
            throw Error(Fault::Output, "", "there is no home folder to keep destinations in", "Set HOME.");
        std::error_code ec;
        fs::create_directories(folders.front(), ec);
        t.name = nameFrom(t.title, all, folders.front());
        t.file = folders.front() + "/" + t.name + ".json";
    }
    const json now = toJson(t);
    json card = fs::exists(t.file) ? readJsonFile(t.file) : now;
    const json was = toJson(targetFromJson(card, t.file));
    for (const auto& [key, value] : was.items()) card.erase(key);
    card.update(now);
    const Target read = targetFromJson(card, t.file); // refused before anything is written
    writeFileWhole(t.file, card.dump(2) + "\n");
    return read;
}

} // namespace ulm
