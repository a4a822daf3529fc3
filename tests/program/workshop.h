#pragma once

#include "support/files.h"
#include "support/subprocess.h"

#include <string>
#include <vector>

namespace omnistasis::test {

constexpr const char* interpreter = "/usr/bin/python3";

/// A temporary folder with a space and a letter beyond ASCII in its name, in which the built program is
/// driven.
class Workshop {
  public:
    /// `runtime` is the interpreter that builds and runs from source get.
    explicit Workshop(const std::string& name, std::string runtime = interpreter);
    ~Workshop();

    fs::path write(const std::string& name, const std::string& content);
    const fs::path& folder() const { return folder_; }
    fs::path path(const std::string& name) const { return folder_ / name; }

    /// Runs omnistasis in the folder, with the system's interpreter.
    ProgramOutput omnistasis(std::vector<std::string> arguments);
    /// Makes the virtual environment `.venv`; gives the way to its packages, with a `/` at the end.
    std::string make_environment();

    /// Runs a shell command in the folder, with an empty cache folder of its own.
    ProgramOutput shell(const std::string& command);

    /// Builds `entry` in both forms, runs both in an empty root and from source, and checks that standard
    /// output and exit code agree. Returns what the run from source printed.
    std::string check_alike(const std::string& entry, const std::vector<std::string>& arguments = {},
                            const std::vector<std::string>& options = {});

  private:
    std::string runtime_;
    fs::path folder_;
};

/// The built program for a shell, wherever it was built.
constexpr const char* quoted_program = "'" OMNISTASIS_PROGRAM "'";

} // namespace omnistasis::test
