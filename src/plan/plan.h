#pragma once

#include "native/host_libraries.h"
#include "trace/graph.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::plan {

/// What happens to a file on its way into the app tree.
enum class Treatment : std::uint8_t {
    copy,   ///< as it is
    relink, ///< a native file: its library search path is set
    reduce, ///< an archive: only some of its members stay
};

/// One file of the app tree that comes from a file of this machine.
struct PlannedFile {
    std::string place; ///< relative to the app tree
    std::string source;
    Treatment treatment = Treatment::copy;
    bool executable = false;
    std::string search_path; ///< relink: what the loader shall look through
    /// relink: the libraries that it needs, file name to place; for systems whose files name them by paths.
    std::map<std::string, std::string> libraries{};
    trace::UnitId unit = 0;             ///< of the graph; why the file is there
    std::vector<std::string> members{}; ///< reduce: those that stay, sorted
};

/// What the app tree will hold, before anything is read or written.
struct Plan {
    std::vector<PlannedFile> files; ///< sorted by place; several may want the same one
    std::vector<trace::Unit>
        code; ///< what the runtime compiles or lists: code, extensions, packages without a file
};

/// Decides place and treatment of each unit. Native files get a search path that leads from their place to
/// those of the libraries they need, and to nothing else. A C library that is shipped stays as it is.
Plan make_plan(const trace::Graph& graph, const native::HostLibraries& host);

} // namespace omnistasis::plan
