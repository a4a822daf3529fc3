#pragma once

#include "project/project.h"
#include "support/store.h"

#include <filesystem>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::lua {

/// What an interpreter says of itself.
struct Facts {
    std::string program;             ///< real path
    std::string version;             ///< of the language: "5.4"
    std::string jit;                 ///< LuaJIT's own version; empty where it is another interpreter
    std::vector<std::string> path;   ///< templates of Lua modules, in the order of its search
    std::vector<std::string> c_path; ///< templates of C modules
    std::set<std::string> built_in;  ///< modules that need no file
    std::string wrong_entry;         ///< why the entry point does not compile; empty where it does

    bool is_jit() const { return !jit.empty(); }
    /// Whether it can be kept from heeding the user's variables by a switch, `-E`.
    bool has_isolation_switch() const { return is_jit() || version != "5.1"; }
    /// Whether compiled code can be told where its source is (helpers/start.lua).
    bool renames_compiled() const { return version != "5.2"; }
};

/// The interpreter for a project: what it names, what the entry's first line names, else the newest that is
/// installed. Where `entry` is not empty it is compiled too, to see whether it can be.
Result<Facts> find_lua(const Project& project, const std::filesystem::path& helpers, const std::string& entry,
                       Store& store);

/// The names of interpreters, the usual one first.
const std::vector<std::string>& interpreter_names();

/// The first of them on PATH; empty where there is none.
std::string usual_interpreter();

/// The interpreter that a source's first line names, as "lua5.4"; empty where it names none.
std::string interpreter_named_in(const std::filesystem::path& source);

} // namespace omnistasis::lua
