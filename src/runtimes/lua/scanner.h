#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::lua {

/// Characters in texts that stand for what only a run knows.
inline constexpr char unknown = '\1';      ///< any text
inline constexpr char own_folder = '\2';   ///< the folder of the source
inline constexpr char own_file = '\3';     ///< the source itself
inline constexpr char entry_folder = '\4'; ///< the folder of the entry point: of arg[0]
inline constexpr char entry_file = '\5';
inline constexpr char path_before = '\6'; ///< package.path or package.cpath as it was

/// A text that a source holds or computes out of constants, and the line that it begins on.
struct TextAt {
    std::string text;
    std::uint32_t line = 0;
};

/// One request for a module: `require` with a constant or partly computed name, in which `unknown` stands for
/// the rest.
struct Request {
    std::string name;
    std::uint32_t line = 0;
    bool is_guarded = false;  ///< in a pcall or under a condition: the code is made to do without it
    bool is_deferred = false; ///< inside a function
};

/// What one source says about what it needs; the result of a single pass over its tokens.
struct ScanResult {
    std::vector<Request> modules;
    std::vector<TextAt> files;        ///< given to dofile and loadfile
    std::vector<TextAt> opened;       ///< given to io.open and the like for reading
    std::vector<TextAt> written;      ///< the same for writing
    std::vector<TextAt> paths;        ///< below the folder of the source or the entry, whatever they are for
    std::vector<TextAt> lua_path;     ///< values of package.path
    std::vector<TextAt> c_path;       ///< values of package.cpath
    std::vector<TextAt> libraries;    ///< native libraries: ffi.load, package.loadlib
    std::vector<TextAt> programs;     ///< first words of what os.execute and io.popen are given
    std::vector<TextAt> variables;    ///< given to os.getenv
    std::vector<TextAt> names;        ///< string constants that may be names of modules
    std::vector<TextAt> preloaded;    ///< modules that the source puts into package.preload
    std::string compiled_for;         ///< "Lua 5.3" or "LuaJIT" of what is no source; then there is no more
    std::uint32_t unknown_module = 0; ///< the line of a require whose name can't be known at all; 0: none
    std::uint32_t unknown_file = 0;   ///< the same for dofile and loadfile
};

/// Scans a source. `module` is the name that it is required by, which `...` gives; empty for the entry point.
ScanResult scan(std::string_view source, const std::string& module);

} // namespace omnistasis::lua
