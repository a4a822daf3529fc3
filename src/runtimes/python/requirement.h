#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <string_view>

namespace omnistasis::python {

/// One line of `Requires-Dist`: a distribution that another one requires (PyPA dependency specifiers).
struct Requirement {
    std::string name;             ///< normalized
    std::set<std::string> extras; ///< of the required distribution, normalized
    std::string versions;         ///< which of it fit: ">=1.4,<2"; empty where any does
    std::string marker;           ///< the condition behind `;`; empty where it is required always
};

/// Reads one; nothing where the line is no requirement.
std::optional<Requirement> read_requirement(std::string_view line);

/// The variables of an environment marker and their values: `python_version`, `sys_platform`, ...
using MarkerVariables = std::map<std::string, std::string, std::less<>>;

/// The variables for an interpreter and a system. `platform` is sys.platform, `machine` the processor.
MarkerVariables marker_variables(int major, int minor, int micro, std::string_view platform,
                                 std::string_view machine);

/// Stands for all extras.
inline constexpr const char* every_extra = "*";

/// Whether a marker holds when `extras` are asked for. A marker that can't be read holds: what it would leave
/// out may be needed.
bool marker_holds(std::string_view marker, const MarkerVariables& variables,
                  const std::set<std::string>& extras);

} // namespace omnistasis::python
