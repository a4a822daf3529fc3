#include "support/size_text.h"

#include <fmt/format.h>

namespace omnistasis {

std::string size_text(std::uint64_t bytes) {
    const char* units[] = {"B", "kB", "MB", "GB", "TB"};
    double value = static_cast<double>(bytes);
    std::size_t unit = 0;
    for (; value >= 999.5 && unit < 4; ++unit) value /= 1000;
    return unit == 0      ? fmt::format("{} B", bytes)
           : value < 9.95 ? fmt::format("{:.1f} {}", value, units[unit])
                          : fmt::format("{:.0f} {}", value, units[unit]);
}

} // namespace omnistasis
