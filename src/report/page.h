#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// The report as one HTML document that needs no other file and no network: `page` is the installed page
/// (data/report/page.html), which builds itself from the facts that are put into it as JSON.
std::string report_page(const Facts& facts, std::string page);

} // namespace omnistasis::report
