#pragma once

#include "support/subprocess.h"
#include "watch/proof.h"

#include <map>
#include <string>

namespace omnistasis::watch {

/// The library that tells programs another time of day.
const std::string& clock_library();

/// Has a run told the time that it asks for, by variables of its environment. Fails where this machine does
/// not have the library.
Result<void> set_clock(const ProofRun& run, std::map<std::string, std::string>& variables);

/// How long a run may take, and how much it may write.
RunLimits limits_of(const ProofRun& run);

} // namespace omnistasis::watch
