#pragma once

#include "cli/job.h"
#include "watch/proof.h"

#include <filesystem>
#include <vector>

namespace omnistasis::cli {

/// Runs each of `runs` in isolation, prints what it shows (unless quiet), and writes NAME.proof.json beside
/// the output. Returns an error of the kind `refused` where the proof does not hold.
Result<void> prove_and_print(const watch::ProofSubject& subject, const std::vector<watch::ProofRun>& runs,
                             const std::filesystem::path& folder, const std::string& name,
                             const JobOptions& options);

/// The same for a job that was just built: the project's own list of runs (NAME.proof.toml), or else one run
/// without arguments.
Result<void> prove_job(const Job& job, const std::filesystem::path& output, const JobOptions& options);

/// The project's own list of runs.
std::filesystem::path proof_script_of(const Project& project);

} // namespace omnistasis::cli
