#pragma once

#include "drawing/drawing.h"
#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// Which module imports which: single modules where there are few, else packages, with cycles marked. Of many
/// packages the smallest are put together. `marked` is a name as `why` takes it: the way to it is drawn
/// thick; may be empty.
Result<std::string> import_figure(const Facts& facts, const std::string& marked, const Drawing& drawing);

} // namespace omnistasis::report
