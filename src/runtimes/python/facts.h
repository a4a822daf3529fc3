#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <string_view>
#include <unordered_set>
#include <vector>

namespace omnistasis::python {

/// What an interpreter says about itself when it is asked; of one for another system, what its files say.
struct Facts {
    int major = 3;
    int minor = 0;
    int micro = 0;
    std::string magic;   ///< the first four bytes of its bytecode files, in hexadecimal
    std::string program; ///< the real path of the interpreter's own program
    /// What runs code on this machine: the interpreter, or one of the same version as another system's; empty
    /// where there is none.
    std::string executable;
    std::string prefix;
    std::string base_prefix;
    std::string standard_library; ///< folder
    std::string platform_library; ///< folder; mostly the same
    std::string platlibdir;       ///< "lib" or "lib64"
    std::string platform;         ///< sys.platform
    std::string target;           ///< what its programs run on
    std::string extensions;       ///< folder of the library's own compiled modules
    /// Where parts of it go in the app tree.
    std::string library_place;    ///< "lib/python3.11"; "Lib"
    std::string extensions_place; ///< "lib/python3.11/lib-dynload"; "DLLs"
    std::string programs_place;   ///< "bin"; empty for the tree itself
    std::vector<std::string> extension_suffixes;
    std::vector<std::string> search_path; ///< without the entry point's folder
    std::unordered_set<std::string> built_in;
    std::unordered_set<std::string> frozen;
    /// Compiled modules of the library, to a library that each needs and that neither the runtime nor its
    /// system has: they can't be imported.
    std::map<std::string, std::string> unloadable;
    std::map<std::string, std::string> editable; ///< top-level modules of editable installations
    std::string entry_error;            ///< why the entry point can't be compiled; empty where it can
    std::uint32_t entry_error_line = 0; ///< 0 where it is not known
    std::string bytecode;   ///< folder in which its library's bytecode lies; empty: beside the sources
    std::string build_data; ///< the module that `sysconfig` reads the interpreter's build settings from
    std::map<std::string, std::string> codecs; ///< other names of codecs, to their modules in `encodings`

    std::string magic_bytes() const;
    /// Whether bytecode for it can be made on this machine.
    bool compiles() const { return !executable.empty(); }
};

/// Finds the project's interpreter: `home` if it is given (a program, a virtual environment or a prefix),
/// else the active virtual environment, `.venv` or `venv` in the project's folder or
/// one above it up to `own_folder`, and python3 on PATH.
Result<std::string> find_interpreter(const std::string& home, const std::filesystem::path& project_folder,
                                     const std::filesystem::path& own_folder);

/// What starts a script: the words behind `#!`, or those that a shell executes from the second line, as start
/// scripts have it whose interpreter has a long path or one with a space. Empty for other files.
std::string_view interpreter_words(std::string_view text);

/// The interpreter that an installed command names there; empty where that is not Python, or is gone.
std::string interpreter_of_script(const std::filesystem::path& script);

/// Sets where parts of a runtime go in the app tree, as its system has it.
void settle_places(Facts& facts);

/// Asks `interpreter`, running the helper program in `helpers`, which also tries to compile `entry`. Answers
/// are kept; that on a new content of `entry` may be done without unless `checks_entry`.
Result<Facts> ask_interpreter(const std::string& interpreter, const std::filesystem::path& helpers,
                              const std::string& entry, bool checks_entry);

} // namespace omnistasis::python
