#include "support/own_program.h"

#include <fmt/format.h>
#include <sys/stat.h>

namespace omnistasis {

std::string own_program_stamp() {
    struct stat self {};
    if (::stat("/proc/self/exe", &self) != 0) return {};
    return fmt::format("{}.{}.{}", self.st_mtim.tv_sec, self.st_mtim.tv_nsec, self.st_size);
}

} // namespace omnistasis
