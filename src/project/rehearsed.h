#pragma once

#include "support/error.h"

#include <compare>
#include <filesystem>
#include <set>
#include <string>

namespace omnistasis {

/// What rehearsals saw that no source says: facts of the project, in a file of their own
/// (docs/rehearsal.md). Names and relative paths only, so that they hold on every machine.
struct Rehearsed {
    struct Module {
        std::string name;
        std::string from; ///< who imported it, as file:line; no part of what it is
        auto operator<=>(const Module& other) const { return name <=> other.name; }
        bool operator==(const Module& other) const { return name == other.name; }
    };
    struct File {
        std::string package; ///< a package that the path is relative to; empty: the project's folder
        std::string path;
        auto operator<=>(const File&) const = default;
    };
    std::set<Module> modules;
    std::set<File> files;            ///< files that were read
    std::set<std::string> libraries; ///< native libraries of the system that were opened, by name
    std::set<std::string> programs;  ///< programs outside of the project that were started, by path
    std::set<std::string> written;   ///< files of the project that were written, relative to its folder

    std::size_t size() const {
        return modules.size() + files.size() + libraries.size() + programs.size() + written.size();
    }
    /// Adds what another rehearsal saw.
    void merge(const Rehearsed& other);
};

/// Reads a file of facts; an absent one holds none. An error names file, line and what is expected.
Result<Rehearsed> read_rehearsed(const std::filesystem::path& file);

/// The text of a file of facts: sorted, so that equal facts are equal bytes.
std::string rehearsed_text(const Rehearsed& facts);

} // namespace omnistasis
