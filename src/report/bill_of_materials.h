#pragma once

#include "report/facts.h"

#include <string>

namespace omnistasis::report {

/// The bill of materials of an output as CycloneDX 1.5 (ECMA-424) JSON.
std::string cyclonedx_json(const Facts& facts, const std::string& output_hash,
                           const std::string& tool_version);

/// The same as SPDX 2.3 (ISO/IEC 5962) JSON. `created` is a point in time as "2026-11-29T10:20:30Z".
std::string spdx_json(const Facts& facts, const std::string& output_hash, const std::string& tool_version,
                      const std::string& created);

} // namespace omnistasis::report
