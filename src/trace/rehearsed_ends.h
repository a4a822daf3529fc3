#pragma once

#include "project/project.h"
#include "trace/graph.h"

#include <vector>

namespace omnistasis::trace {

/// The loose end of a file of the project that the application writes, and that is no state.
LooseEnd writes_own_file(const std::string& inner, const std::string& file, std::uint32_t line);

/// The loose end of a path that is opened relative to the caller's folder. `instead`: how the language puts
/// the program's own folder in front of it.
LooseEnd opens_relative_path(const std::string& path, const std::string& file, std::uint32_t line,
                             const std::string& instead);

/// What a project's rehearsals saw that can't be carried, whatever its language: programs of the system that
/// were started, files of the project that were written.
std::vector<LooseEnd> loose_ends_of_rehearsals(const Project& project, const Rehearsed& facts);

} // namespace omnistasis::trace
