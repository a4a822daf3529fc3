#pragma once

#include "trace/graph.h"

#include <string>

namespace omnistasis::report {

/// A graph as the text of trace.json (docs/trace-json.md).
std::string trace_json(const trace::Graph& graph, const std::string& target, const std::string& runtime);

} // namespace omnistasis::report
