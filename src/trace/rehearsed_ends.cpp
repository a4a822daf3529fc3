#include "trace/rehearsed_ends.h"

#include <fmt/format.h>

namespace omnistasis::trace {

LooseEnd writes_own_file(const std::string& inner, const std::string& file, std::uint32_t line) {
    return {"writes-own-file",
            fmt::format("{} is written, in the application's own folder", inner),
            file,
            line,
            "what is written is lost with the next version",
            fmt::format("make it state with --state '{}', or write below the user's data folder", inner)};
}

std::vector<LooseEnd> loose_ends_of_rehearsals(const Project& project, const Rehearsed& facts) {
    std::vector<LooseEnd> ends;
    std::string seen_in = project.rehearsed_file.string();
    for (const std::string& program : facts.programs)
        ends.push_back({"outside-program",
                        fmt::format("{} is started, which is not part of the output", program), seen_in, 0,
                        "what needs it does not work where it is missing",
                        "tell the users to install it, or carry it with --asset", true});
    for (const std::string& file : facts.written)
        if (!project.is_state(file)) ends.push_back(writes_own_file(file, seen_in, 0));
    return ends;
}

} // namespace omnistasis::trace
