#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// The start of the application as nested bars over time, out of profile.json (docs/report.md); an SVG
/// document.
std::string start_figure(const Json& profile, const std::string& title);

/// The sizes of the builds so far; an SVG document.
std::string history_figure(const std::vector<HistoryEntry>& history, const std::string& title);

} // namespace omnistasis::report
