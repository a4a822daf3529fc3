#pragma once

#include "runtimes/python/ground.h"
#include "runtimes/python/imports.h"
#include "trace/capabilities.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::python {

/// What a watched run of the application from source is, and what it shows: trace::WatchesImports.
class Rehearsals {
  public:
    Rehearsals(Ground& ground, Imports& imports) : ground_(ground), imports_(imports) {}

    Expansion recall(const Rehearsed& facts);
    Result<trace::SourceRun> source_run(const std::filesystem::path& scratch,
                                        const std::vector<std::string>& arguments);
    std::string module_file(const std::string& module);
    Result<trace::SourceRun> watched_run(const std::filesystem::path& scratch,
                                         const std::vector<std::string>& arguments);
    std::vector<trace::SeenModule> seen_modules(const std::filesystem::path& scratch);
    std::string place_asked_for(const std::filesystem::path& file);
    std::optional<Rehearsed::File> package_file(const std::filesystem::path& file);

  private:
    std::vector<std::string> start_from_source(const std::vector<std::string>& arguments) const;
    Result<std::string> startup_folder(const std::string& helper, const std::filesystem::path& folder) const;
    Result<trace::SourceRun> elsewhere(trace::SourceRun run, const std::filesystem::path& scratch) const;

    Ground& ground_;
    Imports& imports_;
};

} // namespace omnistasis::python
