#pragma once

#include <array>
#include <cstdint>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// How surely an import statement or call is executed when its module is.
enum class Certainty : std::uint8_t {
    always,   ///< at module level, under no condition
    guarded,  ///< under a condition, or in a `try` whose handlers expect it to fail
    deferred, ///< inside a function
};

/// One request for modules that a source file makes.
struct Request {
    enum class Kind : std::uint8_t {
        module,        ///< import a.b: the module and its parents
        from_module,   ///< from a import b: the module, and `name` where that is a module in it
        everything_of, ///< from a import *
        family,        ///< a computed name that begins with `module`: all modules whose name begins so
        all_in,        ///< all modules in a package, at any depth: iter_modules(package.__path__)
        entry_point,   ///< load_entry_point("dist", "group", "name"): module holds "dist\ngroup\nname"
    };
    Kind kind = Kind::module;
    Certainty certainty = Certainty::always;
    bool computed = false; ///< asked for by a call with a string, not by an import statement
    std::uint32_t line = 0;
    std::uint32_t level = 0; ///< leading dots of a relative import
    std::string module;      ///< dotted, without the leading dots
    std::string name;        ///< from_module: what is taken from it
    /// Requests made because those numbered [instead_of_first, instead_of_last) raised ImportError; equal:
    /// none.
    std::uint32_t instead_of_first = 0;
    std::uint32_t instead_of_last = 0;
    /// Made by the module's __getattr__ (PEP 562) once somebody takes one of these names from it; one a line,
    /// `*` for a name that is part of `module`. Empty: made whatever is taken.
    std::string taken_names;
};

/// Stands for a name in `ScanResult::names_taken` (FNV-1a).
constexpr std::uint32_t name_hash(std::string_view name) {
    std::uint32_t hash = 2166136261u;
    for (char c : name) hash = (hash ^ static_cast<unsigned char>(c)) * 16777619u;
    return hash;
}

/// A string constant with the line that it begins on.
struct StringAt {
    std::string text;
    std::uint32_t line = 0;
};

/// What one source file says about what it needs; the result of a single pass over its text.
struct ScanResult {
    std::vector<Request> requests;
    std::vector<std::uint32_t> unknown_imports; ///< lines of import calls with a name that can't be known
    std::vector<StringAt> import_suffixes;      ///< ".base" of import_module(f"{name}.base")
    std::vector<StringAt> listed_words;         ///< strings in lists that are plain names, where wanted
    std::vector<StringAt> dotted_strings;       ///< string constants that are dotted names (a.b, a.b:c, .b)
    std::vector<StringAt> path_strings;         ///< string constants that may be relative paths of files
    /// Absolute paths that expressions on __file__ give, or their known beginning: that ends with a `*`.
    std::vector<StringAt> file_paths;
    std::vector<StringAt> resource_packages; ///< packages whose resources are asked for by name
    std::vector<StringAt> system_paths;  ///< string constants that begin as folders of the system's data do
    std::vector<StringAt> distributions; ///< distributions whose metadata is asked for by name
    std::vector<StringAt> codecs;        ///< text encodings that are named
    std::uint32_t computed_codec = 0; ///< the line of a call with an encoding that is not constant; 0: none
    std::vector<StringAt> watched; ///< names of `ScanFacts::watched` that occur, as names or texts, once each
    std::vector<StringAt> entry_point_groups; ///< groups whose entry points are asked for
    std::vector<StringAt> search_path;        ///< folders that sys.path gets; those in front begin with a `<`
    std::vector<StringAt> opened_paths;       ///< relative paths that a call opens as they are
    std::vector<StringAt> programs;           ///< that it starts by their names
    std::vector<StringAt> library_versions;   ///< of introspected libraries that it asks for: "Gtk-3.0"
    std::vector<StringAt> written_paths;      ///< paths that a call opens for writing, where wanted
    std::vector<StringAt> registered;         ///< modules that it puts into sys.modules itself
    std::vector<StringAt> code_strings;       ///< modules that an import statement in a string constant names
    /// Native libraries that are opened by name: file names (libx.so.1), or the bare names that find_library
    /// takes.
    std::vector<StringAt> libraries;
    /// Hashes of all names that are taken from something: `.name`, `from x import name`, and of strings that
    /// are names, as getattr takes them. Sorted.
    std::vector<std::uint32_t> names_taken;
    std::uint32_t computed_library =
        0;                       ///< the line of a call that opens a library by a computed name; 0: none
    bool reads_stubs = false;    ///< its submodules are named in the stub file beside it (attach_stub)
    bool lists_folders = false;  ///< calls listdir, glob or the like
    bool changes_folder = false; ///< calls chdir
    std::uint32_t asks_for_source = 0;    ///< the line of a call that wants a source text; 0: none
    bool names_own_file = false;          ///< mentions __file__ or __path__, or asks for package resources
    bool asks_for_computed_group = false; ///< looks for entry points of a group whose name it computes
    bool imports_by_name = false;         ///< holds a call that imports by a name that is not constant
    bool makes_modules = false;           ///< touches sys.modules, sys.meta_path or sys.path_hooks
    bool restarts_itself = false;         ///< mentions sys.executable
    std::uint32_t runs_sources = 0;       ///< the line of a call that compiles or executes a text; 0: none
    std::uint32_t searches_path = 0;      ///< the line of a call that splits PATH into folders; 0: none
    std::uint32_t runs_files = 0;         ///< the line of a call that runs a Python file by its path; 0: none
};

/// A few names, looked up for every name in a source: most are told apart by their first letter and length.
class WatchedNames {
  public:
    void add(const std::string& name) {
        names_.insert(name);
        may_be_[slot(name)] = true;
    }
    bool contains(std::string_view name) const { return may_be_[slot(name)] && names_.contains(name); }

  private:
    static std::size_t slot(std::string_view name) {
        return name.empty() ? 0 : (static_cast<unsigned char>(name[0]) * 31u + name.size()) % 1024;
    }
    std::set<std::string, std::less<>> names_;
    std::array<bool, 1024> may_be_{};
};

/// Facts of the runtime and target that conditions in the source may ask for.
struct ScanFacts {
    int major = 3;
    int minor = 0;
    std::string platform = "linux";        ///< sys.platform
    std::string os_name = "posix";         ///< os.name
    std::string system = "Linux";          ///< platform.system()
    std::string machine{};                 ///< platform.machine(); empty: not known
    std::string file;                      ///< what __file__ is; empty where it is not known
    bool keeps_strings = true;             ///< whether `dotted_strings` and `path_strings` are wanted
    bool is_own = false;                   ///< the application's: `listed_words`, `written_paths` are wanted
    bool is_main = false;                  ///< the file runs as __main__
    const WatchedNames* watched = nullptr; ///< names whose use means that a module is needed
    /// Programs that are known to be there for the application: a text that begins with one's name starts it.
    const std::set<std::string, std::less<>>* known_programs = nullptr;
};

/// Scans one file. `own_name` is the module's dotted name, `package` that of the package it is in (itself for
/// a package): they stand for __name__ and __package__ in constant expressions.
ScanResult scan(std::string_view source, std::string_view own_name, std::string_view package,
                const ScanFacts& facts);

} // namespace omnistasis::python
