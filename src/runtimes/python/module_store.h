#pragma once

#include "runtimes/python/facts.h"
#include "support/observer.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <map>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What the boot code is told; written into the head of the module store.
struct BootConfig {
    std::string main_place;        ///< of the entry point's source
    std::string main_folder;       ///< sys.path[0] of the application
    std::string entry_module;      ///< dotted name where the entry runs as a module (`-m`), else empty
    std::string called;            ///< module:function that the main program calls, else empty
    bool sources = false;          ///< the store has the modules' sources, and no code
    bool installed = false;        ///< a command of the system: what it is called by lies in the tree, too
    std::string programs;          ///< folder of the programs that go along and it may start; empty: none
    std::string interpreter;       ///< place of what sys.executable names
    std::vector<std::string> path; ///< places for sys.path
    bool program_has_icon = false; ///< the running program shows the application's icon
    std::vector<std::string> library_folders; ///< places where Windows looks for libraries, too
    /// Module, function, variable, place: set while the function runs.
    std::map<std::string, std::map<std::string, std::map<std::string, std::string>>> during;
    std::map<std::string, std::vector<std::string>>
        calls; ///< module, functions called when it has been imported
    std::map<std::string, std::map<std::string, std::string>> moved; ///< module, path of the system, place
};

/// A module whose file stands in the tree (extensions), or that has none (namespace packages).
struct StoredName {
    std::string name;
    trace::UnitKind kind;
    std::string place;                ///< extensions
    std::vector<std::string> folders; ///< namespace packages
};

/// Compiles code with the project's interpreter and packs it into `modules.store`: one file with all modules,
/// found by name without looking into any folder (docs/module-store.md).
class ModuleStore {
  public:
    /// `store` keeps what was compiled.
    ModuleStore(const Facts& facts, std::filesystem::path helpers, std::shared_ptr<Store> store)
        : facts_(facts), helpers_(std::move(helpers)), store_(std::move(store)) {}

    struct Source {
        std::string file;
        std::string shown_as; ///< the name in tracebacks before it is set at load
        int optimize = 0;
        bool own = false; ///< it is being worked on: only its text tells what it is
        /// Of another system's: what lies at its place on this machine, and may be the same text; empty:
        /// none.
        std::string twin{};
    };
    struct Compiled {
        std::string code;  ///< marshalled, in a form that depends on the source alone; or the source
        std::string error; ///< empty where it compiled
        std::uint32_t error_line = 0;
    };

    /// Compiles in up to `jobs` interpreters at once what the store does not have; the results are in the
    /// order of the sources.
    Result<std::vector<Compiled>> compile(const std::vector<Source>& sources, unsigned jobs,
                                          Observer& observer) const;

    /// The sources themselves, for where no interpreter of the version is on this machine.
    static Result<std::vector<Compiled>> as_they_are(const std::vector<Source>& sources);

    /// A module with its code, marshalled, or its source.
    struct Module {
        trace::Unit unit;
        std::string code;
    };
    struct Packed {
        std::string content;
        std::vector<std::size_t> cuts; ///< between what changes apart: the index, packages, own modules
        std::vector<std::pair<std::string, std::uint64_t>> shares; ///< modules, and the bytes of their code
    };

    /// The content of modules.store. The application's own modules come last: they change most often.
    static Packed pack(std::vector<Module> modules, const std::vector<StoredName>& names,
                       const BootConfig& config);

    /// A module's file: of marshalled code a bytecode file (PEP 552 header, unchecked hash-based), of a
    /// source itself.
    std::string module_file(const std::string& code) const;

    /// What a bytecode file begins with that is of a source as that is now (PEP 552): four words, a 0 and the
    /// source's time and size behind the version's. Empty where there is no such source.
    std::string dated_header(const std::string& source) const;

  private:
    const Facts& facts_;
    std::filesystem::path helpers_;
    std::shared_ptr<Store> store_;

    std::string key_of(const Source& source, const std::string& interpreter) const;
    std::filesystem::path bytecode_file_of(const Source& source) const;
    std::string from_bytecode_file(const Source& source) const;
    static bool is_bytecode(const Source& source);
    Compiled from_bytecode(const Source& source) const;
    std::string from_twin(const Source& source) const;
    Result<void> compile_new(const std::vector<Source>& sources, const std::vector<std::size_t>& which,
                             std::vector<Compiled>& results, unsigned jobs, Observer& observer) const;
};

} // namespace omnistasis::python
