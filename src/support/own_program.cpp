#include "support/own_program.h"

#include <fmt/format.h>
#include <sys/stat.h>

namespace omnistasis {

std::string file_stamp(const std::string& path) {
    struct stat status {};
    if (::stat(path.c_str(), &status) != 0) return "-";
    return fmt::format("{}.{}.{}.{}.{}.{}", status.st_mtim.tv_sec, status.st_mtim.tv_nsec,
                       status.st_ctim.tv_sec, status.st_ctim.tv_nsec, status.st_size, status.st_ino);
}

const std::string& own_program_stamp() {
    static const std::string stamp = file_stamp("/proc/self/exe"); // keys ask for it again and again
    return stamp;
}

} // namespace omnistasis
