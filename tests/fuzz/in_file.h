// The input as a file in memory, for readers that take a path.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <sys/mman.h>
#include <unistd.h>

inline std::string in_file(const std::uint8_t* data, std::size_t size) {
    static const int file = ::memfd_create("input", MFD_CLOEXEC);
    if (::ftruncate(file, 0) != 0 || ::pwrite(file, data, size, 0) != static_cast<ssize_t>(size)) return {};
    return "/proc/self/fd/" + std::to_string(file);
}
