#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// The report as one HTML document that needs no other file and no network: light or dark as the reader's
/// system is, for screens of any width, for paper, for keyboards and screen readers.
std::string report_page(const Facts& facts);

} // namespace omnistasis::report
