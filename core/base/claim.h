#pragma once

#include <optional>
#include <string>
#include <utility>

namespace ulm {

/// A lock on a file or folder that ends with this object or with the process, however that ends: it tells what a living
/// process works with from what a killed one left behind.
class Claim {
public:
    /// None where another holds it, it is gone, a link or someone else's, or its file system knows no locks.
    static std::optional<Claim> on(const std::string& path);
    Claim(Claim&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
    Claim& operator=(Claim&& other) noexcept {
        std::swap(fd_, other.fd_);
        return *this;
    }
    ~Claim();

private:
    explicit Claim(int fd) : fd_(fd) {}
    int fd_;
};

} // namespace ulm
