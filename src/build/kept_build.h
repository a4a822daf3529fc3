#pragma once

#include "build/builder.h"
#include "trace/kept_trace.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::build {

/// What a build made. As long as neither anything that it looked at nor what it made has changed, there is
/// nothing to build; where only sources of the application have changed, and ask for the same as before,
/// there is nothing to trace.
class KeptBuild {
  public:
    struct Made {
        trace::Traced traced;
        BuildResult result;
    };

    /// What a trace needs to be relied on after sources have changed.
    struct Reading {
        std::map<std::string, std::string> sources; ///< files, to what a trace took from each
        std::map<std::string, std::string> folders; ///< that sources are in, to a hash of their names
        std::string learned;                        ///< trace::Runtime::learned
        std::string review;                         ///< review::stored_form
    };
    /// Of a trace that was done just now.
    static Reading read(trace::Runtime& runtime, const trace::Graph& graph);

    /// `options` is any text that stands for the command's own settings.
    KeptBuild(const std::string& options, std::shared_ptr<Store> store)
        : kept_("build", options, std::move(store)) {}

    /// Reads what was kept for this project, if anything was.
    void look();

    /// Nothing where something was not made, or may have become another.
    std::optional<Made> find();

    /// Whether only the application's own sources and the folders that they are in have changed.
    bool only_sources_changed() const;

    /// The trace, where sources that changed give `runtime` the same as before; `runtime` is then as after
    /// it. After `look`, where `only_sources_changed`.
    std::optional<trace::Traced> trace_again_for(trace::Runtime& runtime);

    /// Keeps what was made, with `also`, a file that was written beside it.
    void keep(const Made& made, const Reading& reading, const fs::path& also, const Witness& witness);

    const Reading& reading() const { return reading_; }

    /// Of sources and folders, those that have changed.
    const std::vector<std::string>& changed() const { return found_->changed; }

  private:
    std::optional<trace::KeptResult::Found> found_;
    Made made_;
    std::string traced_; ///< in its stored form
    Reading reading_;
    std::vector<std::pair<std::string, std::string>> files_; ///< of what was made, with their stamps
    trace::KeptResult kept_;
};

} // namespace omnistasis::build
