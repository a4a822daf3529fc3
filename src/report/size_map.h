#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// Nested rectangles whose areas are the stored bytes of all pieces, by component: an SVG document. Each
/// innermost rectangle has its bytes as `data-bytes`; together they are the output's size. What would be too
/// small to see is put together with others of its component.
std::string size_map(const Facts& facts);

} // namespace omnistasis::report
