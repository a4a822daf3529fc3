#pragma once

#include "support/error.h"
#include "trace/graph.h"

#include <string>

namespace omnistasis::report {

/// What a graph is of.
struct TraceSubject {
    std::string target;
    std::string runtime;      ///< its title
    std::string entry;        ///< what was named to load the project: a file, a folder, a module
    std::string name;         ///< the output's, without a target's ending
    std::string runtime_home; ///< the interpreter that the project names; empty where it was looked for
};

/// A graph as the text of trace.json (docs/trace-json.md).
std::string trace_json(const trace::Graph& graph, const TraceSubject& subject);

/// Reads it back; fails with an error of the kind bad_input where it is not a graph, or of a newer format.
Result<trace::Graph> graph_from_trace_json(const std::string& text, const std::string& name);

} // namespace omnistasis::report
