#pragma once

#include "support/subprocess.h"
#include "watch/isolation.h"
#include "watch/proof.h"
#include "watch/run_places.h"

#include <map>
#include <string>

namespace omnistasis::watch {

/// The library that tells programs another time of day.
const std::string& clock_library();

/// Has a run told the time that it asks for, by variables of its environment. Fails where this machine does
/// not have the library.
Result<void> set_clock(const ProofRun& run, std::map<std::string, std::string>& variables);

/// What a run gets in its root, with its places as home, working folder and /tmp. Fails as `set_clock` does.
Result<IsolationOptions> isolation_of(const ProofRun& run, const RunPlaces& places);

/// How long a run may take, and how much it may write.
RunLimits limits_of(const ProofRun& run);

} // namespace omnistasis::watch
