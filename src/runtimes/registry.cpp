#include "runtimes/registry.h"

#include "runtimes/python/python_runtime.h"
#include "support/near_match.h"

#include <fmt/format.h>

namespace omnistasis {

namespace {

struct Language {
    const char* name;
    bool (*is_source)(const std::filesystem::path& file);
    Result<std::unique_ptr<trace::Runtime>> (*make)(const Project& project,
                                                    const std::filesystem::path& data);
};

/// All languages; a new one is a folder beside python/ and a line here.
constexpr Language languages[] = {
    {"python", python::is_python_source, python::make_python_runtime},
};

} // namespace

Result<std::unique_ptr<trace::Runtime>> make_runtime(const Project& project,
                                                     const std::filesystem::path& data) {
    std::vector<std::string> names;
    for (const Language& language : languages) {
        bool fits = project.language.empty() ? language.is_source(project.folder / project.entry)
                                             : project.language == language.name;
        if (fits) return language.make(project, data);
        names.emplace_back(language.name);
    }
    std::string known = names.front();
    for (std::size_t i = 1; i < names.size(); ++i) known += ", " + names[i];
    if (!project.language.empty())
        return fail(ErrorKind::bad_input, fmt::format("there is no language `{}`", project.language),
                    "runtime.language", "", fmt::format("known are: {}", known));
    return fail(ErrorKind::bad_input, "the entry point is in no language that is known",
                (project.folder / project.entry).string(), "neither its name nor its first line says which",
                fmt::format("known are: {}; set runtime.language in omnistasis.toml", known));
}

} // namespace omnistasis
