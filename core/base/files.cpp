#include "core/base/files.h"

#include "core/base/error.h"
#include "core/base/part_file.h"

#include <filesystem>
#include <fstream>

namespace ulm {

std::string readTextFile(const std::string& path, std::size_t most) {
    std::error_code ec;
    if (!std::filesystem::exists(path, ec))
        throw Error(Fault::Input, path, "there is no such file", "Check the name, or whether the disk is connected.");
    std::ifstream in(path, std::ios::binary);
    if (std::filesystem::is_directory(path, ec) || !in)
        throw Error(Fault::Input, path, "it cannot be read", "Check that it is a file and that you may read it.");
    std::string text(most + 1, '\0');
    in.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(in.gcount()));
    if (text.size() > most)
        throw Error(Fault::Input, path, "it is too large to be what it should be", "Choose the right file.");
    return text;
}

void writeFileWhole(const std::string& path, const std::string& text) {
    PartFile part(std::filesystem::path(path).parent_path().string(), path);
    part.write(text);
    part.place(path, true);
}

} // namespace ulm
