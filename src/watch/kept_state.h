#pragma once

#include "project/project.h"

namespace omnistasis::watch {

/// Keeps the state in a project's folder while the application runs from source, which writes it, and puts it
/// back.
class KeptState {
  public:
    /// Copies what is at the project's state paths into the folder `scratch`.
    static Result<KeptState> keep(const Project& project, const std::filesystem::path& scratch);
    KeptState(KeptState&& other) noexcept;
    KeptState& operator=(KeptState&&) = delete;
    ~KeptState();

    /// Moves what is there now to the folder `to`, path by path, and puts back what was there before.
    Result<void> put_back(const std::filesystem::path& to);

  private:
    KeptState(const Project& project, std::filesystem::path scratch)
        : project_(&project), scratch_(std::move(scratch)) {}
    const Project* project_; ///< null: it is back
    std::filesystem::path scratch_;
};

} // namespace omnistasis::watch
