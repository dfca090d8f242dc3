#include "core/base/files.h"

#include "core/base/error.h"

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>

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
    const auto fail = [&] {
        throw Error(Fault::Output, path, std::string("it could not be written (") + std::strerror(errno) + ")",
                    "Check that the folder exists, that you may write there, and that the disk has room.");
    };
    // A name of its own, made exclusively: two that write the same file never write into each other's.
    std::string part = path + ".XXXXXX";
    const int fd = ::mkostemp(part.data(), O_CLOEXEC);
    if (fd < 0) fail();
    ::fchmod(fd, 0644);
    std::size_t done = 0;
    while (done < text.size()) {
        const ssize_t n = ::write(fd, text.data() + done, text.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) break;
        done += static_cast<std::size_t>(n);
    }
    const bool written = done == text.size() && ::fsync(fd) == 0;
    const int why = errno;
    ::close(fd);
    if (!written || ::rename(part.c_str(), path.c_str()) != 0) {
        if (!written) errno = why;
        const int kept = errno;
        ::unlink(part.c_str());
        errno = kept;
        fail();
    }
}

} // namespace ulm
