#include "core/deliver/output_file.h"

#include "core/base/error.h"

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <unistd.h>

namespace ulm {
namespace fs = std::filesystem;
namespace {

[[noreturn]] void refuse(const std::string& path, const std::string& reason, const std::string& remedy) {
    throw Error(Fault::Output, path, reason, remedy);
}

} // namespace

OutputFile::OutputFile(const std::string& path, bool replace, std::vector<std::string> sources)
    : path_(path), sources_(std::move(sources)), replace_(replace) {
    std::error_code ec;
    const fs::path p(path), folder = p.parent_path().empty() ? fs::path(".") : p.parent_path();
    if (p.filename().empty() || fs::is_directory(p, ec))
        refuse(path, "this names a folder, not a file", "Name the file to write.");
    if (!fs::is_directory(folder, ec)) refuse(path, "its folder does not exist", "Make the folder, or choose another.");
    refuseSources();
    if (!replace && fs::exists(p, ec))
        refuse(path, "it exists already", "Choose another name, or ask for it to be replaced (--replace).");
    if (::access(folder.c_str(), W_OK) != 0) refuse(path, "its folder may not be written to", "Choose another folder.");
    folder_ = folder.string();
}

void OutputFile::refuseSources() const {
    std::error_code ec;
    for (const std::string& source : sources_)
        if (!source.empty() && fs::exists(path_, ec) && fs::equivalent(path_, source, ec))
            refuse(path_, "this is one of the files that are read",
                   "Choose another name: originals are never written over.");
}

void OutputFile::write(const std::string& text) {
    part(0).write(text);
    keep(0);
}

PartFile& OutputFile::part(int attempt) {
    auto& p = parts_[attempt];
    if (!p) p = std::make_unique<PartFile>(folder_, path_);
    return *p;
}

const std::string& OutputFile::partPath(int attempt) { return part(attempt).path(); }

std::string OutputFile::keep(int attempt) {
    refuseSources(); // it may have become one meanwhile, by a link
    for (std::string name = path_;; name = freeName(path_))
        if (part(attempt).place(name, replace_)) return name;
}

VanishingFile::VanishingFile(const std::string& folder) {
    fd_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (fd_ < 0) {
        std::string name = folder + "/.ulmwood-XXXXXX";
        fd_ = ::mkstemp(name.data());
        if (fd_ >= 0) ::unlink(name.c_str());
    }
    if (fd_ < 0)
        refuse(folder, std::string("no working file can be made there (") + std::strerror(errno) + ")",
               "Choose another folder.");
}

VanishingFile::~VanishingFile() { ::close(fd_); }

std::string VanishingFile::path() const { return "/proc/self/fd/" + std::to_string(fd_); }

std::string freeName(const std::string& path) {
    const fs::path p(path);
    fs::path candidate = p;
    for (int n = 2; fs::exists(candidate) && n < 10000; ++n)
        candidate = p.parent_path() / (p.stem().string() + "-" + std::to_string(n) + p.extension().string());
    return candidate.string();
}

} // namespace ulm
