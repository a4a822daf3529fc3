#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::trace {

/// What a unit is to the build.
enum class UnitKind : std::uint8_t {
    code,      ///< a source file of the runtime's language, shipped in compiled form
    extension, ///< a module in the form of a native library
    native,    ///< a native library
    program,   ///< a native program
    data,      ///< a file shipped as it is
    folder,    ///< a package without a file of its own; nothing is shipped for it
    built_in,  ///< part of the runtime's own program; nothing is shipped for it
    script,    ///< a source file of the runtime's language, shipped as it is
};

std::string_view kind_name(UnitKind kind);

/// Whether a unit of that kind is known by the name that code imports it with; others are known by their
/// place.
bool is_module(UnitKind kind);

/// Whether a unit of that kind is source code.
inline bool is_source(UnitKind kind) { return kind == UnitKind::code || kind == UnitKind::script; }

/// Whether a unit of that kind is a native file: it has libraries of its own, and a search path for them.
bool is_native(UnitKind kind);

/// A file within an archive.
struct ArchiveMember {
    std::string name{};     ///< as the archive says it
    std::uint64_t size = 0; ///< unpacked, in bytes
};

/// One thing that the application needs.
struct Unit {
    UnitKind kind = UnitKind::data;
    std::string name; ///< as the application says it: a dotted module name, a library's name, a relative path
    std::string file; ///< where it is on this machine; empty where nothing is shipped
    std::string place;       ///< where it goes in the app tree, relative, with `/`
    bool own = false;        ///< belongs to the application itself, not to a package or the runtime
    bool of_runtime = false; ///< belongs to the runtime's own library
    std::string part{};      ///< the package that it counts as; empty: what is in front of a dot in its name
    /// The unit is that member of the archive `file`, and goes along inside it at `place`: the archive is
    /// written anew with the members that are needed, unless all of it is a unit as well.
    std::optional<ArchiveMember> member{};
};

/// The size of what a unit stands for, in bytes; 0 where that is nothing, or can't be looked at.
std::uint64_t size_of(const Unit& unit);

/// Why one unit needs another.
struct Reason {
    std::string verb;       ///< completes "A ... B": "imports", "is in the package", "reads"
    std::string file;       ///< where it is said; empty where no file says it
    std::uint32_t line = 0; ///< counted from 1; 0 where there is none
    bool optional = false;  ///< the application is made to do without it
};

using UnitId = std::uint32_t;

struct Edge {
    UnitId from = 0;
    UnitId to = 0;
    Reason reason;
};

/// Something that the trace could not settle.
struct LooseEnd {
    std::string kind; ///< a stable word, as `unresolved-import`
    std::string what; ///< what could not be settled
    std::string file;
    std::uint32_t line = 0;
    std::string effect; ///< what it may cause
    std::string advice; ///< what to do
    bool minor = false; ///< worth knowing, but no reason to stop a strict build
    auto operator<=>(const LooseEnd&) const = default;
};

/// An optional module that was not found: the code that asks for it can do without it.
struct Absent {
    std::string name;
    std::string file;
    std::uint32_t line = 0;
    bool of_runtime = false; ///< the runtime's own library asks
    auto operator<=>(const Absent&) const = default;
};

/// A group of modules that only packages ask for, which can do without it, and that is left out therefore.
struct LeftOut {
    std::string name;
    std::string file; ///< one that asks
    std::uint32_t line = 0;
    auto operator<=>(const LeftOut&) const = default;
};

/// All that the application needs, with a reason on each edge. Units are sorted by kind of name and name, so
/// that equal inputs give an equal graph whatever the number of threads.
struct Graph {
    std::vector<Unit> units;
    std::vector<Edge> edges;   ///< sorted by `from`, `to`, file and line
    std::vector<UnitId> roots; ///< what is needed without a unit that asks for it
    std::vector<LooseEnd> loose_ends;
    std::vector<Absent> absent; ///< optional modules that are not there
    std::vector<LeftOut> left_out;
    /// Packages that are installed beside the application, of which nothing was reached; sorted.
    std::vector<std::string> not_carried;
    /// Absolute paths that are compiled into native files, and the places of the app tree that they lead to.
    std::vector<std::pair<std::string, std::string>> fixed_places; ///< sorted
};

} // namespace omnistasis::trace
