#include "support/own_program.h"

#include <algorithm>
#include <cstdint>
#include <ctime>
#include <fmt/format.h>
#include <sys/stat.h>

namespace omnistasis {

namespace {

constexpr std::int64_t clock_grain = 50'000'000; // nanoseconds

std::int64_t nanoseconds(const timespec& time) { return time.tv_sec * 1'000'000'000 + time.tv_nsec; }

} // namespace

std::string file_stamp(const std::string& path, bool* has_settled) {
    struct stat status {};
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    if (has_settled != nullptr) *has_settled = false;
    if (::stat(path.c_str(), &status) != 0) return "-";
    std::int64_t changed = std::max(nanoseconds(status.st_mtim), nanoseconds(status.st_ctim));
    if (has_settled != nullptr) *has_settled = nanoseconds(now) - changed > clock_grain;
    return fmt::format("{}.{}.{}.{}.{}.{}", status.st_mtim.tv_sec, status.st_mtim.tv_nsec,
                       status.st_ctim.tv_sec, status.st_ctim.tv_nsec, status.st_size, status.st_ino);
}

const std::string& own_program_stamp() {
    static const std::string stamp = file_stamp("/proc/self/exe"); // keys ask for it again and again
    return stamp;
}

std::filesystem::path own_prefix() {
    std::error_code failed;
    return std::filesystem::read_symlink("/proc/self/exe", failed).parent_path().parent_path();
}

std::filesystem::path own_modules() { return own_prefix() / "lib/omnistasis"; }

} // namespace omnistasis
