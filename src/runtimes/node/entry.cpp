#include "runtimes/node/node_language.h"
#include "runtimes/node/package_json.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <ranges>

namespace omnistasis::node {

namespace {

Result<void> check(const PackageJson& package) {
    if (package.error.empty()) return {};
    return fail(ErrorKind::bad_input, "the package.json is not valid JSON",
                fmt::format("{}:{}", package.file, package.error_line), package.error,
                "mend the file: Node.js can't read it either");
}

/// What a package.json says of the application, where the project does not.
void take_facts(const PackageJson& package, Project& project) {
    auto take = [](const std::string& from, std::string& into) {
        if (into.empty()) into = from;
    };
    take(package.version, project.version);
    take(package.description, project.summary);
    take(package.author, project.publisher);
    take(package.homepage, project.homepage);
}

/// The program of a folder with a package.json: `bin`, else `main`, else index.js.
Result<bool> take_program(Project& project) {
    fs::path folder = (project.folder / project.entry).lexically_normal();
    auto package = read_package_json((folder / "package.json").string());
    if (!package) return false;
    if (auto right = check(*package); !right) return pass_on(right);
    std::string file, name = base_name(package->name);
    if (package->programs.size() == 1) {
        file = package->programs.begin()->second;
        name = package->programs.begin()->first;
    } else if (auto same = package->programs.find(name); same != package->programs.end()) {
        file = same->second;
    } else if (!package->programs.empty()) {
        std::vector<std::string> names, files;
        for (const auto& [program, path] : package->programs) {
            names.push_back(program);
            files.push_back(path);
        }
        return fail(ErrorKind::bad_input, "the project has several programs", package->file,
                    fmt::format("its `bin` names {}", fmt::join(names, ", ")),
                    fmt::format("name one: {}", fmt::join(files, ", ")));
    }
    if (file.empty()) file = package->main;
    if (file.empty())
        for (const char* usual : {"index.js", "index.mjs", "index.cjs"})
            if (file.empty() && is_file(folder / usual)) file = usual;
    if (file.empty()) return false;
    for (const char* ending : {"", ".js", "/index.js"})
        if (is_file(folder / (file + ending))) {
            project.entry = (fs::path(project.entry) / (file + ending)).lexically_normal().string();
            if (project.name.empty()) project.name = name.empty() ? folder.filename().string() : name;
            return true;
        }
    return fail(ErrorKind::bad_input, "the program that the package.json names is not there", package->file,
                fmt::format("there is no {}", (folder / file).string()), "mend its `bin` or `main`");
}

} // namespace

bool is_node_source(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    if (ending == ".js" || ending == ".mjs" || ending == ".cjs") return true;
    auto text = MappedFile::open(file);
    if (!text || !text->text().starts_with("#!")) return false;
    return text->text().substr(0, text->text().find('\n')).find("node") != std::string_view::npos;
}

Result<bool> settle_entry(Project& project) {
    if (project.entry.empty() || is_folder(project.folder / project.entry)) {
        auto taken = take_program(project);
        if (!taken || !*taken) return taken;
    }
    fs::path file = project.folder / project.entry;
    if (!is_file(file)) return false;
    fs::path real = real_path(file);
    if (!is_node_source(real)) return false;
    std::string known_as = file.filename().string();
    bool is_link = real != file && fs::is_symlink(file);
    if (project.project_file.empty()) {
        // The project is where the package.json is; of a program among the packages, around all of them.
        std::string path = real.string();
        std::size_t packages = path.find("/node_modules/");
        fs::path folder = real.parent_path();
        if (packages != std::string::npos) {
            folder = path.substr(0, packages);
        } else {
            for (fs::path above = folder; above.has_relative_path(); above = above.parent_path())
                if (is_file(above / "package.json")) {
                    folder = above;
                    break;
                }
        }
        project.folder = folder;
        project.entry = real.lexically_relative(folder).string();
    }
    auto package = read_package_json((project.folder / "package.json").string());
    bool own = project.entry.find("node_modules/") == std::string::npos;
    if (package && own) {
        if (auto right = check(*package); !right) return pass_on(right);
        take_facts(*package, project);
    }
    if (project.name.empty()) {
        fs::path name = is_link ? fs::path(known_as) : real.filename();
        std::string ending = name.extension().string();
        bool has_ending = ending == ".js" || ending == ".mjs" || ending == ".cjs";
        project.name = (has_ending ? name.stem() : name).string();
        // As good a name as any: what the package calls the program.
        if (package && own)
            for (const auto& [program, path] : package->programs)
                if (fs::path(path).lexically_normal() == fs::path(project.entry)) project.name = program;
        if (project.name == "index") project.name = project.folder.filename().string();
    }
    return true;
}

} // namespace omnistasis::node
