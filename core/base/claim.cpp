#include "core/base/claim.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace ulm {

std::optional<Claim> Claim::on(const std::string& path) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    if (fd < 0) return std::nullopt;
    Claim claim(fd);
    struct stat held {
    }, named{};
    if (::fstat(fd, &held) != 0 || held.st_uid != ::geteuid() || !(S_ISREG(held.st_mode) || S_ISDIR(held.st_mode)))
        return std::nullopt;
    if (::flock(fd, LOCK_EX | LOCK_NB) != 0) return std::nullopt;
    // Whoever held it before may have removed it since it was opened.
    if (::lstat(path.c_str(), &named) != 0 || named.st_ino != held.st_ino || named.st_dev != held.st_dev)
        return std::nullopt;
    return claim;
}

Claim::~Claim() {
    if (fd_ >= 0) ::close(fd_);
}

} // namespace ulm
