#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// The text for the person who gets the application: `template_text` with `{title}`, `{version}`,
/// `{summary}`,
/// `{description}`, `{start}`, `{needs}`, `{variables}`, `{data}`, `{remove}`, `{publisher}`, `{homepage}`,
/// `{licence}` and
/// `{notices}` filled in. A paragraph (up to an empty line) in which one of them is empty is left out; values
/// of several lines go on under where they begin. Fails where a name in braces is not known.
Result<std::string> read_me_text(const Facts& facts, const std::string& template_text,
                                 const std::string& template_name);

} // namespace omnistasis::report
