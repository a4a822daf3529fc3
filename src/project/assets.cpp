#include "project/assets.h"

#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/pattern.h"
#include "support/subprocess.h"

#include <fmt/format.h>
#include <set>

namespace omnistasis {

namespace {

void collect(const fs::path& folder, const std::string& inner, std::set<std::string>& open,
             std::vector<std::string>& files) {
    std::string real = real_path(folder);
    if (!open.insert(real).second) return;
    for (const FolderEntry& entry : list_folder(folder)) {
        std::string path = inner.empty() ? entry.name : inner + "/" + entry.name;
        if (!entry.is_folder)
            files.push_back(path);
        else if (entry.name != ".git" && !any_names(&Conventions::cache_folders, entry.name))
            collect(folder / entry.name, path, open, files);
    }
    open.erase(real);
}

std::string without_end_slash(std::string path) {
    while (path.size() > 1 && path.ends_with('/')) path.pop_back();
    return path;
}

tl::unexpected<Error> nothing_found(const Asset& asset, const std::string& why) {
    return fail(
        ErrorKind::bad_input, fmt::format("the asset `{}` matches no file", asset.from), asset.where, why,
        "paths and patterns are relative to the project's folder; `**` stands for folders of any depth");
}

} // namespace

std::string place_of_absolute(const std::string& path) {
    constexpr std::string_view prefix = "/usr/";
    return path.starts_with(prefix) ? path.substr(prefix.size()) : "share" + path;
}

Result<std::vector<AssetFile>> find_programs(const Project& project) {
    std::vector<AssetFile> found;
    for (const std::string& program : project.programs) {
        bool is_name = program.find('/') == std::string::npos;
        std::string file = is_name ? find_on_path(program) : (project.folder / program).string();
        if (!is_file(file))
            return fail(ErrorKind::bad_input, fmt::format("the program `{}` is not there", program),
                        "native.programs or --program", is_name ? "PATH has none of that name" : "",
                        "install it, or name the file");
        found.push_back({real_path(file),
                         fmt::format("{}/{}", programs_place, fs::path(program).filename().string()), true});
    }
    return found;
}

Result<std::vector<AssetFile>> find_assets(const Project& project) {
    std::vector<AssetFile> found;
    for (const Asset& asset : project.assets) {
        std::string from = without_end_slash(fs::path(asset.from).lexically_normal().string());
        std::string to = without_end_slash(fs::path(asset.to).lexically_normal().string());
        bool in_tree = to.starts_with("/");
        if (in_tree) to = place_of_absolute(to);
        if (to.starts_with(".."))
            return fail(ErrorKind::bad_input,
                        fmt::format("the asset's place `{}` is outside of the application", asset.to),
                        asset.where, "", "`to` is relative to the application's folder");
        // The fixed part in front of the first pattern is a folder; what it names keeps its inner paths below
        // `to`.
        std::size_t pattern_start = from.find_first_of("*?");
        std::size_t slash =
            pattern_start == std::string::npos ? std::string::npos : from.rfind('/', pattern_start);
        std::string fixed = pattern_start == std::string::npos ? from
                            : slash == std::string::npos       ? ""
                                                               : from.substr(0, slash);
        fs::path start = project.folder / fixed;
        std::size_t before = found.size();
        if (is_file(start)) {
            std::string name = start.filename().string();
            bool to_folder =
                to.empty() ? false : asset.to.ends_with('/') || fs::path(to).extension() != start.extension();
            bool outside = fs::path(from).is_absolute() || from.starts_with("..");
            found.push_back({start,
                             to.empty()  ? (outside ? name : from)
                             : to_folder ? to + "/" + name
                                         : to,
                             in_tree});
            continue;
        }
        if (!is_folder(start)) return nothing_found(asset, fmt::format("there is no {}", start.string()));
        std::vector<std::string> files;
        std::set<std::string> open;
        collect(start, "", open, files);
        bool outside = fs::path(fixed).is_absolute() || fixed.starts_with("..");
        std::string base = !to.empty() ? to : outside ? start.filename().string() : fixed;
        if (base == ".") base.clear();
        for (const std::string& file : files) {
            std::string relative = fixed.empty() ? file : fixed + "/" + file;
            if (pattern_start != std::string::npos && !fits_pattern(relative, from, '/')) continue;
            found.push_back({start / file, base.empty() ? file : base + "/" + file, in_tree});
        }
        if (found.size() == before)
            return nothing_found(asset,
                                 fmt::format("there are {} files in {}", files.size(), start.string()));
    }
    return found;
}

std::vector<AssetFile> find_initial_state(const Project& project) {
    std::vector<AssetFile> found;
    for (const State& state : project.states) {
        fs::path path = project.folder / state.path;
        if (is_file(path)) found.push_back({path, state.path});
        if (!is_folder(path)) continue;
        std::vector<std::string> files;
        std::set<std::string> open;
        collect(path, "", open, files);
        for (const std::string& file : files) found.push_back({path / file, state.path + "/" + file});
    }
    return found;
}

} // namespace omnistasis
