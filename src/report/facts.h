#pragma once

#include "payload/payload_contents.h"
#include "report/inspection.h"
#include "review/review.h"
#include "support/json.h"
#include "trace/graph.h"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::report {

/// A part of an output: what the size map has an area for, and the list a line.
struct Piece {
    std::string name;
    std::string kind;                  ///< as in the list of parts, or `launcher`, `index`, `file`
    std::string owner;                 ///< a component; empty: the application's own
    std::string place;                 ///< of the tree's file that it is in
    std::uint64_t raw = 0;             ///< bytes before compression
    std::uint64_t stored = 0;          ///< bytes of the output
    std::optional<trace::UnitId> unit; ///< of the graph, where there is one
};

/// A component with what it weighs.
struct ComponentFacts {
    std::string name, version, kind, licence, said_by, url, homepage;
    std::string family, asks; ///< of its licence
    std::uint64_t raw = 0, stored = 0;
    std::size_t pieces = 0;
};

/// One earlier build.
struct HistoryEntry {
    std::string version;
    std::string when; ///< as "2026-11-29 10:20"
    std::uint64_t size = 0, tree_size = 0;
    std::size_t modules = 0, libraries = 0, data_files = 0;
};

/// All that a report tells, gathered once. What could not be had is in `missing`, in words.
struct Facts {
    std::string name, title, version, publisher, summary, homepage, licence;
    std::string target, form, mode, runtime;
    std::string output; ///< path; empty where nothing was built
    std::uint64_t output_size = 0, tree_size = 0;
    std::size_t tree_files = 0;
    std::vector<Piece> pieces; ///< their stored bytes together are `output_size`
    std::vector<ComponentFacts> components;
    trace::Graph graph; ///< empty where it is not known
    std::optional<review::Review> review;
    std::vector<payload::StatePath> state;
    std::map<std::string, std::string> places; ///< of files of this machine, their places in the app tree
    std::string project_folder;                ///< paths below it are shown relative to it

    std::string oldest_system; ///< "glibc 2.34 or newer and Linux 3.2 or newer"; empty: not known
    std::vector<std::string> known_systems;  ///< names of those that are new enough
    std::vector<std::string> sets_the_bar;   ///< file and symbol
    std::vector<std::string> host_libraries; ///< that it takes from the system
    std::string library_svg, import_svg, size_svg, start_svg, history_svg; ///< empty where there is none

    Json proof;                        ///< proof.json; null where there is none
    Json profile;                      ///< profile.json; null where there is none
    Json changes;                      ///< what changed since the build before; null where there is none
    std::vector<HistoryEntry> history; ///< oldest first
    std::vector<std::string> missing;
};

/// Pieces, sizes, components and state out of an output.
Result<void> take_output(Facts& facts, const payload::PayloadContents& contents, const std::string& output);

/// Joins the graph's units to the pieces; without an output the graph's units are the pieces, without stored
/// sizes.
void take_graph(Facts& facts, trace::Graph graph);

/// A path as a reader knows it, who does not know the build machine: relative to the project, or the place in
/// the app tree.
std::string shown(const Facts& facts, const std::string& path);

} // namespace omnistasis::report
