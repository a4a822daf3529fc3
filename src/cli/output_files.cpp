#include "cli/output_files.h"

#include "payload/delta.h"
#include "payload/payload_contents.h"
#include "support/files.h"
#include "support/json.h"
#include "support/json_field.h"
#include "support/target_info.h"

#include <fmt/format.h>

namespace omnistasis::cli {

namespace {

/// What the trace of an output's build said; null where it is not beside it.
Json trace_of_build(const fs::path& folder, const std::string& name) {
    auto text = read_text(folder / record_name(name, "trace"));
    return text ? parse_json(*text) : Json();
}

/// How the project was loaded for that build; null where nothing says it.
Json project_of_build(const Json& trace) {
    return trace.is_object() && trace.contains("project") && trace["project"].is_object() ? trace["project"]
                                                                                          : nullptr;
}

/// The name that an executable was built with, whatever it is called now. It says so itself, and may be
/// anybody's: what leads to another folder is no name.
std::string built_as(const fs::path& executable) {
    auto contents = payload::PayloadContents::open(executable);
    std::string name = contents ? contents->description().name : "";
    bool is_name = !name.empty() && name != "." && name != ".." && base_name(name) == name &&
                   name.find('\0') == std::string::npos;
    return is_name ? name : executable.stem().string();
}

} // namespace

fs::path OutputFiles::executable() const { return is_folder(output) ? output / program : output; }

Result<PayloadFile> PayloadFile::of(const std::string& named) {
    PayloadFile file;
    fs::path path = fs::absolute(named).lexically_normal();
    if (path.filename().empty()) path = path.parent_path();
    if (dress::is_bundle(path)) {
        auto opened = dress::OpenedBundle::open(path);
        if (!opened) return pass_on(opened);
        file.bundle_.emplace(std::move(*opened));
        path = file.bundle_->folder() / "Contents/Resources";
    }
    auto found = payload::executable_of(path);
    if (!found) return pass_on(found);
    file.path_ = std::move(*found);
    return file;
}

fs::path output_of_build(const Project& project) {
    fs::path output = project.output_folder(project.targets.front()) / project.name;
    for (const char* ending : {".exe", ".app", ".app.zip"})
        if (fs::path other = output.string() + ending; !is_there(output) && is_there(other)) output = other;
    return output;
}

bool is_output(const std::string& named) {
    if (named.empty() || !is_there(named)) return false;
    if (dress::is_bundle(fs::absolute(named).lexically_normal())) return true;
    auto executable = payload::executable_of(fs::absolute(named).lexically_normal());
    auto file = executable ? MappedFile::open(*executable) : Result<MappedFile>(pass_on(executable));
    return file && payload::PayloadContents::has_payload(file->bytes());
}

Result<OutputFiles> find_output(const std::string& named) {
    fs::path path = fs::absolute(named).lexically_normal();
    if (path.filename().empty()) path = path.parent_path();
    if (dress::is_bundle(path)) {
        std::string name = path.filename().string();
        name.resize(name.find(".app"));
        return OutputFiles{path, name, name, path.parent_path()};
    }
    if (is_folder(path)) {
        std::string name = path.filename().string();
        for (const TargetInfo& target : all_targets())
            if (std::string file = name + target.program_ending;
                is_file(path / file) && is_folder(path / "tree"))
                return OutputFiles{path, file, built_as(path / file), path.parent_path()};
        return fail(ErrorKind::bad_input, "the folder is not an output", named,
                    fmt::format("there is no {} with a tree in it", name),
                    "name the executable that `omnistasis build` has made");
    }
    if (!is_file(path))
        return fail(ErrorKind::bad_input, "there is no such output", named, "no file has that name",
                    "build it first: omnistasis build");
    if (is_folder(path.parent_path() / "tree"))
        return OutputFiles{path.parent_path(), path.filename().string(), built_as(path),
                           path.parent_path().parent_path()};
    return OutputFiles{path, path.filename().string(), built_as(path), path.parent_path()};
}

std::optional<JobOptions> options_of_project(const OutputFiles& files, const JobOptions& options) {
    Json trace = trace_of_build(files.folder, files.name);
    Json said = project_of_build(trace);
    if (said.is_null()) return std::nullopt;
    JobOptions of_project = options;
    of_project.project = {};
    of_project.project.entry = field_or(said, "entry", "");
    of_project.project.out = files.folder.string();
    of_project.target = field_or(trace, "target", "");
    of_project.project.name = files.program;
    const TargetInfo* target = find_target(of_project.target);
    std::string_view ending = target != nullptr ? target->program_ending : std::string_view();
    if (files.program.ends_with(ending))
        of_project.project.name = files.program.substr(0, files.program.size() - ending.size());
    if (std::string home = field_or(said, "runtime", ""); !home.empty()) of_project.project.runtime = home;
    return of_project;
}

Result<Job> project_of(const OutputFiles& files, const JobOptions& options, Observer& observer) {
    auto of_project = options_of_project(files, options);
    if (!of_project)
        return fail(ErrorKind::missing,
                    fmt::format("there is no {} beside it", record_name(files.name, "trace")),
                    files.folder.string());
    return trace_project(*of_project, observer);
}

void take_runtime_of_build(JobOptions& options) {
    auto job = load_job(options);
    if (!job || options.project.runtime) return;
    Json said = project_of_build(
        trace_of_build(job->project.output_folder(job->project.targets.front()), job->project.name));
    std::string runtime = field_or(said, "runtime", "");
    if (!runtime.empty() && is_there(runtime)) options.project.runtime = runtime;
}

} // namespace omnistasis::cli
