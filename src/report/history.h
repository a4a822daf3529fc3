#pragma once

#include "report/comparison.h"
#include "report/facts.h"

#include <optional>
#include <string>

namespace omnistasis::report {

/// The record of an output's builds (NAME.history.json beside it): one entry more, and what changed from the
/// build before. `text` is the record so far, or any other bytes.
std::string history_with(const std::string& text, const HistoryEntry& entry,
                         const std::optional<Comparison>& changes);

/// Reads it into `facts`; leaves what can't be read.
void take_history(Facts& facts, const std::string& text);

/// The present point in time, or that of SOURCE_DATE_EPOCH: "2026-11-29T10:20:30Z".
std::string point_in_time();

} // namespace omnistasis::report
