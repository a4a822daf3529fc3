#pragma once

#include "watch/proof.h"

#include <filesystem>
#include <vector>

namespace omnistasis::watch {

/// Reads a list of runs (docs/proof.md, "A list of runs"). An error names file, line and what is expected.
Result<std::vector<ProofRun>> read_proof_script(const std::filesystem::path& file);

/// Whether a text is a point in time as proofs take it: "2024-02-29 12:00:00".
bool is_point_in_time(const std::string& text);

} // namespace omnistasis::watch
