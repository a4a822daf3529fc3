#pragma once

#include "project/project.h"

#include <string>

namespace omnistasis::python {

/// How the application is started, in the interpreter's own three ways.
struct Entry {
    enum class Kind {
        script,   ///< python FILE
        module,   ///< python -m MODULE: also a package's __main__.py
        function, ///< an entry point "module:attribute" (PyPA entry points specification)
    } kind = Kind::script;
    std::string module;   ///< dotted; for a package the name with `.__main__`; empty for scripts
    std::string function; ///< what is called, with dots for attributes of attributes; else empty
    std::string file; ///< the source that runs as __main__; empty until a module is found on the search path
    std::string folder;          ///< what sys.path begins with, absolute
    bool among_commands = false; ///< that folder is one of commands, where no modules lie
};

/// Reads `project.entry` and fills in what follows from it or from a pyproject.toml beside it: the folder,
/// the name, and what only the pyproject.toml says. False where the entry is nothing that Python would start.
Result<bool> settle_entry(Project& project);

/// What the pyproject.toml in a folder says that the project requires; nothing where there is none that can
/// be read.
std::vector<std::string> declared_requirements(const std::filesystem::path& folder);

/// The entry of a settled project. Where a module is not in the project's folder or its `src`, `file` is
/// empty.
Entry read_entry(const Project& project);

} // namespace omnistasis::python
