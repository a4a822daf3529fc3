#pragma once

#include "build/builder.h"
#include "trace/kept_trace.h"

#include <optional>

namespace omnistasis::build {

/// What a build made, as long as neither anything that it looked at nor what it made has changed: then there
/// is nothing to build.
class KeptBuild {
  public:
    struct Made {
        trace::Traced traced;
        BuildResult result;
    };

    /// `options` is any text that stands for the command's own settings.
    KeptBuild(const std::string& options, std::shared_ptr<Store> store)
        : kept_("build", options, std::move(store)) {}

    /// Nothing where something was not made, or may have become another.
    std::optional<Made> find();

    /// Keeps what was made, with `also`, a file that was written beside it.
    void keep(const Made& made, const fs::path& also, const Witness& witness);

  private:
    trace::KeptResult kept_;
};

} // namespace omnistasis::build
