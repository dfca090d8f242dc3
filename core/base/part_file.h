#pragma once

#include "core/base/claim.h"

#include <string>

namespace ulm {

/// A file being made in a folder, under a hidden name that no other process has; deleted with this object unless it was
/// placed. What killed processes left of their own in that folder is deleted first.
class PartFile {
public:
    /// Errors: Fault::Output about `about`, the name that it is made for.
    PartFile(const std::string& folder, const std::string& about);
    ~PartFile();
    PartFile(const PartFile&) = delete;
    PartFile& operator=(const PartFile&) = delete;

    const std::string& path() const { return path_; }
    /// Errors: Fault::Output.
    void write(const std::string& text);
    /// Brings it safely to the disk and gives it its name in the same folder. False, and nothing done, where that is
    /// taken and !replace. Errors: Fault::Output.
    bool place(const std::string& name, bool replace);

private:
    [[noreturn]] void fail(const std::string& what) const;
    std::string folder_, about_, path_;
    std::optional<Claim> claim_;
    int fd_ = -1;
    bool placed_ = false;
};

/// What to do about a file that could not be written, by the system's error number.
std::string writingRemedy(int number);

/// Deletes parts in `folder` that no living process holds.
void removeLeftovers(const std::string& folder);

/// A folder of this process's own in the temporary folder, deleted with everything in it when this object goes; those
/// of killed processes are deleted when the next is made.
class WorkFolder {
public:
    /// Errors: Fault::Output.
    WorkFolder();
    ~WorkFolder();
    WorkFolder(const WorkFolder&) = delete;
    WorkFolder& operator=(const WorkFolder&) = delete;
    const std::string& path() const { return path_; }

private:
    std::string path_;
    std::optional<Claim> claim_;
};

} // namespace ulm
