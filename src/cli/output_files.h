#pragma once

#include "cli/job.h"
#include "dress/opened_bundle.h"

#include <filesystem>
#include <optional>
#include <string>

namespace omnistasis::cli {

/// Where an output is: the executable, or the folder around it, and where what belongs to it is kept.
struct OutputFiles {
    std::filesystem::path output;
    std::string program; ///< the executable's file name
    std::string name;    ///< that it was built with
    std::filesystem::path folder;

    std::filesystem::path executable() const;
};

/// The file that holds an output's payload, whatever the output's form. A packed bundle is unpacked for as
/// long as this lives.
class PayloadFile {
  public:
    static Result<PayloadFile> of(const std::string& named);

    const std::filesystem::path& path() const { return path_; }

  private:
    std::optional<dress::OpenedBundle> bundle_;
    std::filesystem::path path_;
};

/// Where the project's last build for its target is, if there was one.
std::filesystem::path output_of_build(const Project& project);

/// Whether a path leads to an output, and not to a project.
bool is_output(const std::string& named);

/// The output that a path means: the executable, the folder of one, or a bundle.
Result<OutputFiles> find_output(const std::string& named);

/// The project that an output was built from, as NAME.trace.json beside it says, traced; fails where that is
/// not there any more.
Result<Job> project_of(const OutputFiles& files, const JobOptions& options, Observer& observer);

/// The options that load that project; nothing where that is not there.
std::optional<JobOptions> options_of_project(const OutputFiles& files, const JobOptions& options);

/// Options on a project that name no runtime take that of the project's last build, which may have been told
/// another than the usual one.
void take_runtime_of_build(JobOptions& options);

} // namespace omnistasis::cli
