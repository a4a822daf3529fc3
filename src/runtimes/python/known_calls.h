#pragma once

#include <cstdint>
#include <string_view>

namespace omnistasis::python {

/// What a call says of the things that a program needs.
enum class CallUse : std::uint8_t {
    nothing,
    imports_module,   ///< a module by its name
    codec,            ///< a codec that is named
    codec_or_method,  ///< the same, or a method of something else: only a name-like argument counts as
                      ///< computed
    asks_for_source,  ///< the source text of something
    lists_folder,     ///< the names in a folder
    finds_paths,      ///< the names that fit a pattern
    opens_path,       ///< a file by its path
    walks_package,    ///< the modules of a package, by its `__path__`
    opens_library,    ///< a native library by its name
    library_versions, ///< an introspected library, with its version
    reads_stubs,      ///< a stub file beside the module
    attaches_parts,   ///< parts of a package that are loaded when they are used
    changes_folder,   ///< another working folder
    entry_point,      ///< one entry point of a distribution, by distribution, group and name
    metadata,         ///< the metadata of a distribution
    files,            ///< the files of a distribution or a package
    entry_points,     ///< the entry points of a group
    selected_points,  ///< the same by a keyword alone
    package_data,     ///< a data file of a package, by package and name
    package_folder,   ///< the data folder of a package
};

/// A function that the scanner knows by its name, wherever it was imported from.
struct KnownCall {
    std::string_view name; ///< `*` at one end stands for any text
    CallUse use = CallUse::nothing;
    std::uint8_t argument = 0; ///< number of the argument that matters, or the first of several
};

/// The row of a function's name; one with `nothing` where it is not known.
const KnownCall& known_call(std::string_view name);

} // namespace omnistasis::python
