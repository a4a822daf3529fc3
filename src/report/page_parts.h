#pragma once

namespace omnistasis::report {

/// What of the report's page is the same in each: its style (CSS) and its behaviour (JavaScript). The script
/// expects an object `facts` with the units' names and reasons.
extern const char* const page_style;
extern const char* const page_script;

} // namespace omnistasis::report
