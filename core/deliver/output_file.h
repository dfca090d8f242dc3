#pragma once

#include "core/base/part_file.h"

#include <map>
#include <memory>
#include <string>
#include <vector>

namespace ulm {

/// A file being made: written under a hidden name in the same folder, given its name only when it is whole.
class OutputFile {
public:
    /// Checks before any work that the name can be had. Errors: Fault::Output: folder missing or not writable, name
    /// taken and !replace, or one of the files that are read (`sources`), which nothing ever replaces.
    OutputFile(const std::string& path, bool replace, std::vector<std::string> sources);

    /// Where to write: attempt 0, 1, … may stand side by side.
    const std::string& partPath(int attempt = 0);
    /// Writes a whole text, and keep()s it.
    void write(const std::string& text);
    /// Gives that attempt the final name, and returns it: work of an hour is not thrown away because its name was taken
    /// meanwhile, it gets the next free one. Errors: Fault::Output.
    std::string keep(int attempt = 0);

private:
    void refuseSources() const;
    PartFile& part(int attempt);

    std::string path_, folder_;
    std::map<int, std::unique_ptr<PartFile>> parts_;
    std::vector<std::string> sources_;
    bool replace_;
};

/// A nameless file in `folder` that vanishes with this object, or with the process.
class VanishingFile {
public:
    /// Errors: Fault::Output.
    explicit VanishingFile(const std::string& folder);
    ~VanishingFile();
    VanishingFile(const VanishingFile&) = delete;
    VanishingFile& operator=(const VanishingFile&) = delete;
    /// A path by which this process can open it.
    std::string path() const;

private:
    int fd_ = -1;
};

/// `path`, or the first of "name-2", "name-3" … that does not exist.
std::string freeName(const std::string& path);

} // namespace ulm
