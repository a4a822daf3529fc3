#pragma once

#include "report/facts.h"
#include "support/json.h"

#include <string>

namespace omnistasis::report {

/// The facts as one JSON object (docs/report.md).
Json facts_as_json(const Facts& facts);
/// The same as a text for people: `facts.json`.
std::string facts_json(const Facts& facts);

/// Every piece, one a line (RFC 4180): name, kind, component, place, bytes, stored bytes, why, by, file,
/// line.
std::string pieces_csv(const Facts& facts);

/// Every component, one a line: name, version, kind, licence, what it asks, bytes, stored bytes, package URL.
std::string components_csv(const Facts& facts);

} // namespace omnistasis::report
