#pragma once

#include "watch/proof.h"

#include <filesystem>
#include <vector>

namespace omnistasis::watch {

/// Reads a list of runs (docs/proof.md, "A list of runs"). An error names file, line and what is expected.
Result<std::vector<ProofRun>> read_proof_script(const std::filesystem::path& file);

} // namespace omnistasis::watch
