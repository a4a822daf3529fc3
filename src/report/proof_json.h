#pragma once

#include "watch/proof.h"

#include <string>
#include <vector>

namespace omnistasis::report {

/// The record of runs as the text of proof.json (docs/proof.md).
std::string proof_json(const std::string& output, const std::vector<watch::Proof>& proofs);

} // namespace omnistasis::report
