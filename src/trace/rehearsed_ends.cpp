#include "trace/rehearsed_ends.h"

#include <fmt/format.h>

namespace omnistasis::trace {

LooseEnd writes_own_file(const std::string& inner, const std::string& file, std::uint32_t line) {
    return {.kind = "writes-own-file",
            .what = fmt::format("{} is written, in the application's own folder", inner),
            .file = file,
            .line = line,
            .effect = "what is written is lost with the next version",
            .advice =
                fmt::format("make it state with --state '{}', or write below the user's data folder", inner)};
}

LooseEnd opens_relative_path(const std::string& path, const std::string& file, std::uint32_t line,
                             const std::string& instead) {
    return {.kind = "relative-path",
            .what = fmt::format("{} is opened relative to the folder that the caller is in", path),
            .file = file,
            .line = line,
            .effect = "it is found only where the application is started in a folder that has it",
            .advice = instead + ", or set working_folder = \"app\" under [app] in omnistasis.toml"};
}

std::vector<LooseEnd> loose_ends_of_rehearsals(const Project& project, const Rehearsed& facts) {
    std::vector<LooseEnd> ends;
    std::string seen_in = project.rehearsed_file.string();
    for (const std::string& program : facts.programs)
        ends.push_back({.kind = "outside-program",
                        .what = fmt::format("{} is started, which is not part of the output", program),
                        .file = seen_in,
                        .line = 0,
                        .effect = "what needs it does not work where it is missing",
                        .advice = "tell the users to install it, or carry it with --asset",
                        .minor = true});
    for (const std::string& file : facts.written)
        if (!project.is_state(file)) ends.push_back(writes_own_file(file, seen_in, 0));
    return ends;
}

} // namespace omnistasis::trace
