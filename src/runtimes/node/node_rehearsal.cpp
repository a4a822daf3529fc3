// What a watched run of a Node.js application is, and what it shows. Code is told by the files that are read,
// as data is: the runtime looks for both at the same places from source and in the app tree.
#include "runtimes/node/node_runtime.h"
#include "trace/rehearsed_ends.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::node {

Expansion NodeRuntime::recall(const Rehearsed& facts) {
    Expansion out;
    Reason seen{"was seen in a rehearsal", project_.rehearsed_file.string(), 0, true};
    std::string entry_place = placement_.own_place(entry_);
    for (const Rehearsed::File& file : facts.files) {
        std::string folder = file.package.empty() ? project_.folder.string()
                                                  : placement_.base() + "/node_modules/" + file.package;
        std::string path = folder + "/" + file.path;
        if (!is_file(path)) continue;
        std::string real = real_path(path);
        std::string name = file.package.substr(file.package.rfind("node_modules/") == std::string::npos
                                                   ? 0
                                                   : file.package.rfind("node_modules/") + 13);
        out.needs.push_back({unit_of(real, placement_.place_of(real, entry_, entry_place, name)), seen});
    }
    out.loose_ends = trace::loose_ends_of_rehearsals(project_, facts);
    return out;
}

Result<trace::SourceRun> NodeRuntime::source_run(const std::filesystem::path&,
                                                 const std::vector<std::string>& arguments) {
    trace::SourceRun run;
    run.command = {facts_.program};
    run.command.insert(run.command.end(), entry_options_.begin(), entry_options_.end());
    run.command.push_back(entry_);
    run.command.insert(run.command.end(), arguments.begin(), arguments.end());
    run.folders = {parent_folder_of(facts_.program), placement_.base()};
    return run;
}

Result<trace::SourceRun> NodeRuntime::watched_run(const std::filesystem::path& scratch,
                                                  const std::vector<std::string>& arguments) {
    return source_run(scratch, arguments);
}

std::vector<trace::SeenModule> NodeRuntime::seen_modules(const std::filesystem::path&) { return {}; }

std::string NodeRuntime::module_file(const std::string&) { return {}; }

bool NodeRuntime::is_code_file(const std::filesystem::path& file) {
    // Which of them there are is told by the files that are loaded.
    return file.filename() == "package.json";
}

std::string NodeRuntime::place_asked_for(const std::filesystem::path& file) {
    std::string real = real_path(file.string());
    return placement_.is_own(real) ? placement_.own_place(real) : std::string();
}

std::optional<Rehearsed::File> NodeRuntime::package_file(const std::filesystem::path& file) {
    std::string path = file.string();
    std::string root = placement_.package_root(path);
    std::string package = relative_to(root, placement_.base() + "/node_modules");
    if (package.empty()) return std::nullopt;
    return Rehearsed::File{package, relative_to(path, root)};
}

} // namespace omnistasis::node
