#pragma once

#include "native/host_libraries.h"
#include "payload/payload_writer.h"
#include "plan/contributions.h"
#include "project/project.h"
#include "review/review.h"
#include "support/observer.h"
#include "support/store.h"
#include "trace/runtime.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::build {

/// The parts of Omnistasis that it finds beside itself: helper programs, lore, launchers.
struct Installation {
    std::filesystem::path data;      ///< share/omnistasis
    std::filesystem::path launchers; ///< lib/omnistasis

    /// From the place of the running program: `<prefix>/bin/omnistasis`.
    static Result<Installation> find();
    /// The one of signed outputs checks their signature.
    std::filesystem::path launcher(const std::string& target, bool is_signed = false) const {
        return launchers / ((is_signed ? "launcher-signed-" : "launcher-") + target);
    }
};

/// What a finished build has to say.
struct BuildResult {
    std::filesystem::path output;        ///< the executable
    std::filesystem::path output_folder; ///< folder form: the folder that holds it; else empty
    std::string target;
    std::string runtime;
    std::uint64_t size = 0;      ///< in bytes, of all that was written
    std::uint64_t tree_size = 0; ///< of the app tree
    std::size_t tree_files = 0;
    std::size_t modules = 0;
    std::size_t libraries = 0;
    std::size_t data_files = 0;
    std::size_t stripped_files = 0;          ///< native files that went without their debug symbols
    std::uint64_t stripped_bytes = 0;        ///< what that saved, before compression
    std::vector<plan::Contribution> largest; ///< at most ten, largest first
    std::vector<std::string> remarks;        ///< what somebody should know of the icon
    payload::PayloadSizes payload;           ///< file form: what compressing did, by group of files
};

/// Makes the output that `project` describes from what the trace found. The output is put in its place at
/// once, at the end: an interrupted build leaves what was there before.
Result<BuildResult> build(const Project& project, trace::Runtime& runtime, const trace::Graph& graph,
                          const review::Review& review, const native::HostLibraries& host, Store& store,
                          const Installation& installation, unsigned jobs, Observer& observer);

} // namespace omnistasis::build
