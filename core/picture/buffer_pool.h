#pragma once

#include <cstddef>

namespace ulm {

/// Memory of pictures, recycled: frames are several megabytes, and handing them back to the system costs a page fault
/// per 4 KiB at each use, which is dearer than most stages. Buffers are kept by size, up to a bound of 96 MiB; those of
/// the sizes asked for least recently go first. From any thread.
class BufferPool {
public:
    /// Rounded up to whole pages: what a buffer of `bytes` really takes.
    static std::size_t rounded(std::size_t bytes) { return (bytes + 4095) / 4096 * 4096; }
    /// Aligned to 64 bytes, its contents anything. Throws std::bad_alloc.
    static void* take(std::size_t bytes);
    /// `bytes`: as it was asked for.
    static void give(void* buffer, std::size_t bytes);
    /// What it holds for later, in bytes.
    static std::size_t held();
};

} // namespace ulm
