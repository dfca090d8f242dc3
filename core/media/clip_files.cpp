#include "core/media/clip_files.h"

#include "core/base/error.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <filesystem>
#include <string_view>

namespace ulm {
namespace fs = std::filesystem;

bool hasClipEnding(const std::string& path) {
    static constexpr std::array<std::string_view, 16> kKnown = {".mp4", ".mov", ".mkv",  ".webm", ".avi", ".m4v",
                                                                ".gif", ".mpg", ".mpeg", ".ts",   ".mts", ".m2ts",
                                                                ".wmv", ".flv", ".3gp",  ".ogv"};
    std::string ending = fs::path(path).extension().string();
    std::ranges::transform(ending, ending.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return std::ranges::find(kKnown, ending) != kKnown.end();
}

std::vector<std::string> withFoldersOpened(const std::vector<std::string>& paths) {
    std::vector<std::string> all;
    for (const std::string& p : paths) {
        std::error_code ec;
        if (!fs::is_directory(p, ec)) {
            all.push_back(p);
            continue;
        }
        std::vector<std::string> inside;
        for (fs::directory_iterator i(p, ec), end; !ec && i != end; i.increment(ec))
            if (const std::string name = i->path().filename().string();
                hasClipEnding(name) && !name.starts_with('.') && !i->is_directory(ec))
                inside.push_back(i->path().string());
        if (ec)
            throw Error(Fault::Input, p, "this folder cannot be read (" + ec.message() + ")",
                        "Check that you may read it.");
        if (inside.empty())
            throw Error(Fault::Input, p, "there is no clip in this folder", "Name video files, or a folder with some.");
        std::ranges::sort(inside);
        all.insert(all.end(), inside.begin(), inside.end());
    }
    return all;
}

} // namespace ulm
