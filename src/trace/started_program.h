#pragma once

#include "project/project.h"
#include "trace/graph.h"

#include <optional>
#include <string>
#include <string_view>

namespace omnistasis::trace {

/// The program's name in a command that a shell or `exec` is given, where it is one that is looked for on
/// PATH; empty for one with a folder, for what every system or desktop has, and where there is no name.
std::string program_in(std::string_view command);

/// What is to be told of a program that code starts by its name, at a line of a file. Nothing where the
/// project carries it, and where it is not on this machine either: then it is one of several that will do, or
/// another system's. `minor` in code of packages.
std::optional<LooseEnd> starts_program(const Project& project, const std::string& program,
                                       const std::string& source, std::uint32_t line, bool minor);

} // namespace omnistasis::trace
