#pragma once

#include "native/library_index.h"
#include "project/own_files.h"
#include "runtimes/python/bytecode_sketches.h"
#include "runtimes/python/entry.h"
#include "runtimes/python/installed_distributions.h"
#include "runtimes/python/lore.h"
#include "runtimes/python/module_finder.h"
#include "runtimes/python/places.h"
#include "runtimes/python/scan_cache.h"
#include "runtimes/python/scanner.h"
#include "support/files.h"
#include "support/system_packages.h"
#include "support/target_info.h"
#include "trace/capabilities.h"

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <unordered_map>
#include <vector>

namespace omnistasis::python {

using native::LibraryIndex;
using trace::Expansion;
using trace::Need;
using trace::Reason;
using trace::Unit;
using trace::UnitKind;
using trace::UnitNeeds;
/// Modules of a trace by their names; the one that runs as __main__ under its own name where it has one.
using UnitIds = std::unordered_map<std::string, trace::UnitId>;

/// The name of the package that a module is in; empty for a top-level one.
inline std::string parent_of(const std::string& name) {
    std::size_t dot = name.rfind('.');
    return dot == std::string::npos ? std::string() : name.substr(0, dot);
}

inline std::string top_of(const std::string& name) { return name.substr(0, name.find('.')); }

/// What a file of a package or the application is, by its name alone.
inline UnitKind kind_by_name(const std::string& file) {
    return is_library_name(fs::path(file).filename().string()) ? UnitKind::native : UnitKind::data;
}

/// A file that goes into the tree as it is, or as a native library.
inline Unit file_unit(UnitKind kind, const std::string& file, const std::string& place) {
    return {kind, place, file, place, false, false};
}

/// The project's own environment on this machine, where the application is built for another system.
struct HostSide {
    explicit HostSide(Facts said)
        : facts(std::move(said)), finder(facts, facts.search_path),
          installed(facts.search_path, marker_variables(facts.major, facts.minor, facts.micro, facts.platform,
                                                        host_info().processor)) {}

    Facts facts;
    ModuleFinder finder;
    InstalledDistributions installed;
};

/// What the parts of a trace stand on: the project, what the interpreter said of itself, where modules and
/// distributions are found, what lore knows. It stays as it is while units are expanded; the finder and the
/// caches may be used from many threads.
struct Ground {
    Ground(Project of, Facts said, std::optional<Facts> said_here, Lore known, fs::path helpers_folder,
           fs::path folder_of_lore, std::shared_ptr<Store> with);

    /// Whether the project leaves a module out.
    bool excluded(const std::string& name) const;
    /// The dotted name that a request means, seen from the module that makes it.
    std::string absolute_module(const Request& request, const std::string& from);
    /// The module that a name stands for which another module makes while it runs; empty where it is none.
    std::string meant_by(const std::string& name) const;
    /// Names of modules that may have been meant by one that is nowhere.
    std::vector<std::string> near_names(const std::string& name);
    Unit unit_of(const std::string& name, const FoundModule& found);
    /// What runs as __main__: the entry itself, or our few lines that call the entry's function.
    Unit main_unit();
    /// The module that runs as __main__, where it has another name too.
    std::string main_module() const {
        return entry.kind == Entry::Kind::module ? entry.module : std::string();
    }
    /// An entry that names a module which is not the project's own is looked for where the interpreter would.
    Result<void> find_entry_module();
    /// The distribution that an installed command starts; null where the entry is somebody's own source.
    const Distribution* find_application();

    /// The lore of a module.
    std::vector<const LoreEntry*> lore_of(const std::string& module) const;
    /// Whether a top-level module is one that only developers need, as lore knows them.
    bool is_development_tool(const std::string& module) const;
    bool is_of_application(const std::string& file);
    /// Whether imports stand for a file: source, bytecode, extension modules.
    bool is_code_file(const fs::path& file) const;
    bool is_in_packages(const std::string& file) const;
    std::vector<const Distribution*> required_by(const Distribution& distribution,
                                                 const std::set<std::string>& extras) {
        // The application itself may use all that it knows of, once it is installed.
        return installed.required_by(distribution, extras, &distribution == application);
    }

    std::string application_place() const { return places.of_root(project.folder.string()); }
    /// The interpreter carries the application's name, so that lists of processes show that one.
    std::string program_place() const;
    /// What sys.executable names: a launcher that starts the interpreter as isolated as we do.
    std::string interpreter_place() const;
    /// Whether an installed distribution of this machine is the project's own.
    bool is_own_on_this_machine(const Distribution& distribution) const;
    /// Whether this machine's own interpreter runs the application.
    bool is_for_host() const { return facts.target == host_target(); }
    /// Where a path of the system is looked for: what another system has there lies in the tree that its
    /// runtime came with, if anywhere.
    std::string path_in_system(const std::string& path) const;

    /// Makes libraries of another system what they are: their names do not tell it everywhere.
    void settle_kind(Unit& unit) const;
    /// Wants a library that code opens by its name: of this machine's system; or of the runtime and the
    /// packages for another one. False where there is none.
    bool want_opened_library(const std::string& name, const Reason& reason, Expansion& out);
    /// The place of a library that belongs to a package or, for another system, to the runtime.
    std::optional<std::string> library_place(const std::string& file) const;
    /// The files in the application's folder, looked through once.
    const OwnFiles& own_files();
    /// The libraries that the runtime, the packages and the application itself have for another system.
    const LibraryIndex& libraries();
    /// Of those the one that `file` means: beside it, of its own distribution, of one that this requires,
    /// else the nearest; empty where there is none.
    std::string library_of_packages(const std::string& name, const std::string& file);
    /// What modules' files end in that the interpreter loads before our finder is there.
    std::string module_suffix() const { return facts.compiles() ? ".pyc" : ".py"; }
    /// The interpreter's arguments: first those that keep the user's own settings away from it.
    std::vector<std::string> isolated(std::vector<std::string> arguments) const;

    Project project;
    Facts facts;
    Lore lore;
    fs::path helpers;     ///< our own sources that run in the interpreter
    fs::path lore_folder; ///< what lore calls {lore}
    Entry entry;
    Places places;
    std::vector<std::string> installed_files; ///< by the system's package manager with the entry; sorted
    std::vector<std::string> search_path;
    ModuleFinder finder;
    InstalledDistributions installed;
    ScanCache scans;
    BytecodeSketches sketches;
    std::shared_ptr<Store> store;
    ScanFacts scan_facts;
    WatchedNames watched;
    /// The programs of the packages that the installed application requires, and their names.
    std::map<std::string, RequiredProgram> required_programs;
    std::set<std::string, std::less<>> required_program_names;
    std::set<std::string, std::less<>> on_request; ///< top-level modules
    std::map<std::string, std::string> stands_for; ///< names that lore knows, to the modules that they are
    /// Name that occurs, to the module that must be there too and what is needed then.
    std::multimap<std::string, std::pair<std::string, std::vector<std::string>>> named_rules;
    std::unique_ptr<HostSide> here;            ///< null where the application is built for this machine
    const Distribution* application = nullptr; ///< that the entry, an installed command, starts

  private:
    std::once_flag libraries_read_, own_files_read_;
    OwnFiles own_files_;
    LibraryIndex libraries_;
    std::vector<std::string> whole_search_path() const;
    std::string scan_settings() const;
};

/// The folder that holds the project and all that its sources reach by paths from where they are: "../data".
fs::path root_of_sources(const Project& project, const Facts& facts);

/// The files of the system's package that brought the entry, where it is a command of the system; sorted.
std::vector<std::string> installed_files(const Project& project, const Entry& entry);

/// The folders among them that modules and packages lie in.
std::set<std::string> folders_of_packages(const std::vector<std::string>& files);

} // namespace omnistasis::python
