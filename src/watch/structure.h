#pragma once

// What can be said of an output for a system that nothing here stands in for: by its files alone.

#include "watch/proof.h"

namespace omnistasis::watch {

/// The name of the record of such a look.
inline constexpr const char* structure_run = "structure";

/// Looks at a bundle for macOS, `dress::is_bundle`: each library that its files load is in it or the
/// system's; signatures and hashes fit; Info.plist names its program; no file holds one of the texts
/// `foreign` (paths of this machine).
Result<Proof> prove_structure(const ProofSubject& subject, const std::vector<std::string>& foreign);

} // namespace omnistasis::watch
