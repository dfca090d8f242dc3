#include "core/base/part_file.h"

#include "core/base/error.h"

#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <mutex>
#include <set>
#include <sys/stat.h>
#include <unistd.h>

namespace ulm {
namespace fs = std::filesystem;
namespace {

const std::string kPart = ".ulmwood-XXXXXX.part", kWork = "ulmwood-work-XXXXXX";

// "X" stands for any one character.
bool named(const std::string& name, const std::string& pattern) {
    if (name.size() != pattern.size()) return false;
    for (std::size_t i = 0; i < name.size(); ++i)
        if (pattern[i] != 'X' && pattern[i] != name[i]) return false;
    return true;
}

void removeUnclaimed(const std::string& folder, const std::string& pattern) {
    std::error_code ec, gone;
    for (fs::directory_iterator i(folder, ec), end; !ec && i != end; i.increment(ec)) {
        if (!named(i->path().filename().string(), pattern)) continue;
        if (const auto claim = Claim::on(i->path().string())) fs::remove_all(i->path(), gone);
    }
}

// Once a folder and process: scanning large folders over and over would be felt.
void removeLeftoversOnce(const std::string& folder) {
    static std::mutex mutex;
    static std::set<std::string> done;
    {
        std::lock_guard lock(mutex);
        if (!done.insert(folder).second) return;
    }
    removeLeftovers(folder);
}

mode_t usualMode() {
    static const mode_t mask = [] {
        const mode_t m = ::umask(0);
        ::umask(m);
        return m;
    }();
    return 0666 & ~mask;
}

} // namespace

std::string writingRemedy(int number) {
    const bool full = number == ENOSPC || number == EDQUOT || number == EFBIG;
    return full ? "Make room on its disk, or choose another folder."
                : "Check that the folder exists and that you may write there, or choose another.";
}

void removeLeftovers(const std::string& folder) { removeUnclaimed(folder, kPart); }

void PartFile::fail(const std::string& what) const {
    const int number = errno;
    const std::string why = number == ENOSPC ? "the disk is full" : std::strerror(number);
    throw Error(Fault::Output, about_, what + " (" + why + ")", writingRemedy(number));
}

PartFile::PartFile(const std::string& folder, const std::string& about)
    : folder_(folder.empty() ? "." : folder), about_(about) {
    removeLeftoversOnce(folder_);
    // A process that cleans up may take the new file for a leftover before its claim is made: then once more. Where a
    // file system knows no locks, it goes without.
    for (int attempt = 0; attempt < 4 && !claim_; ++attempt) {
        if (fd_ >= 0) {
            ::unlink(path_.c_str());
            ::close(fd_);
        }
        path_ = folder_ + "/" + kPart;
        fd_ = ::mkostemps(path_.data(), 5, O_CLOEXEC);
        if (fd_ < 0) fail("it could not be written");
        claim_ = Claim::on(path_);
    }
    ::fchmod(fd_, usualMode());
}

PartFile::~PartFile() {
    if (!placed_) ::unlink(path_.c_str());
    if (fd_ >= 0) ::close(fd_);
}

void PartFile::write(const std::string& text) {
    std::size_t done = 0;
    while (done < text.size()) {
        const ssize_t n = ::write(fd_, text.data() + done, text.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) fail("it could not be written");
        done += static_cast<std::size_t>(n);
    }
}

bool PartFile::place(const std::string& name, bool replace) {
    if (::fsync(fd_) != 0) fail("it could not be written");
    if (replace)
        placed_ = ::rename(path_.c_str(), name.c_str()) == 0;
    else {
        placed_ = ::renameat2(AT_FDCWD, path_.c_str(), AT_FDCWD, name.c_str(), RENAME_NOREPLACE) == 0;
        // Some file systems do not know that; a link refuses a taken name too, and some know no links either.
        if (!placed_ && errno != EEXIST && ::link(path_.c_str(), name.c_str()) == 0) {
            placed_ = true;
            ::unlink(path_.c_str());
        }
        if (!placed_ && errno != EEXIST && !fs::exists(fs::symlink_status(name)))
            placed_ = ::rename(path_.c_str(), name.c_str()) == 0;
        if (!placed_ && errno == EEXIST) return false;
    }
    if (!placed_) fail("it could not be given its name");
    if (const int folder = ::open(folder_.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); folder >= 0) {
        ::fsync(folder); // the name, too, survives a power cut
        ::close(folder);
    }
    return true;
}

WorkFolder::WorkFolder() {
    const std::string temporary = fs::temp_directory_path().string();
    removeUnclaimed(temporary, kWork);
    for (int attempt = 0; attempt < 4 && !claim_; ++attempt) {
        if (attempt) ::rmdir(path_.c_str()); // taken for a leftover, or no locks here: as for parts
        path_ = temporary + "/" + kWork;
        if (!::mkdtemp(path_.data()))
            throw Error(Fault::Output, path_, "no working folder can be made", "Make room in the temporary folder.");
        claim_ = Claim::on(path_);
    }
}

WorkFolder::~WorkFolder() {
    std::error_code ec;
    fs::remove_all(path_, ec);
}

} // namespace ulm
