#pragma once

#include "native/oldest_system.h"
#include "report/inspection.h"

#include <string>
#include <vector>

namespace omnistasis::cli {

/// What `inspect` prints of a file. `verbose`: all files of an output, all names of an import.
std::string inspection_text(const report::Inspection& inspection, report::HostNames& host,
                            const std::vector<native::KnownSystem>& systems, bool verbose);

/// Adds how old a system may be, which file says so, and how old it could be without that.
void add_oldest_system(std::string& out, const native::OldestSystem& oldest,
                       const std::vector<native::KnownSystem>& systems);

} // namespace omnistasis::cli
