#pragma once

#include "runtimes/python/ground.h"

#include <cstdint>
#include <map>
#include <mutex>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// Stands for all names of distributions.
inline constexpr const char* every_distribution = "*";

/// A module whose source was read.
struct Scanned {
    std::string name;
    std::string file;
    std::string root;
    bool own = false;
    bool standard = false;
    ScanResult result;
};

/// What a trace gathers for those that look at all modules together, and for the files that are made at its
/// end.
struct Gathered {
    std::mutex mutex; ///< of all below, while units are expanded
    std::vector<Scanned> scanned;
    std::size_t settled = 0;                ///< how many of those the settling passes have seen
    std::vector<trace::LooseEnd> ends;      ///< what is told once the trace is done
    std::set<std::string> searched;         ///< sources that were looked into besides their scan
    std::set<std::string> reads_sources_of; ///< distributions whose module files are read as texts
    /// For another system: modules that were not found, and who asks for them.
    std::vector<std::pair<std::string, Reason>> absent_modules;
    /// Files of packages, and the groups of modules on request without which they can't be imported.
    std::map<std::string, std::set<std::string>> needed_groups;
    bool is_way_to_library = false; ///< some module asks for introspected libraries that open no windows

    std::map<std::string, std::map<std::string, std::string>> moved; ///< module, path of the system, place
    bool reads_own_sources = false;      ///< the application reads Python files as text
    std::set<std::string> shows_modules; ///< distributions that look at their own module files
    std::set<std::string> with_source;   ///< modules whose source goes along as a file
    /// "MODULE/NUMBER": lore whose data is not there, so that nothing of it holds.
    std::set<std::string> idle_lore;
    std::set<std::string> imported;     ///< modules that statements of own modules import
    std::set<std::uint32_t> late_names; ///< hashes of names that bring something in once they are taken
    bool carries_programs = false;      ///< programs that are started go along
    /// For Windows: places of libraries that do not lie beside the file that needs them.
    std::set<std::string> library_folders;
    /// Versions of introspected libraries that some module asks for.
    std::map<std::string, std::set<std::string>> library_versions;

    /// The part that outlives a trace, as a text; and back.
    std::string learned() const;
    void relearn(std::string_view learned);
};

} // namespace omnistasis::python
