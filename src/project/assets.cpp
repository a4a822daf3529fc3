#include "project/assets.h"

#include "runtimes/conventions.h"
#include "support/files.h"
#include "support/pattern.h"
#include "support/subprocess.h"

#include <algorithm>
#include <fmt/format.h>
#include <linux/magic.h>
#include <set>
#include <sys/vfs.h>

namespace omnistasis {

namespace {

/// Links from folder to folder can multiply what is there without end.
constexpr std::size_t most_folders = 100'000, most_files = 1'000'000;

/// Gives the files below a folder; stops beyond the bounds.
class Collector {
  public:
    std::vector<std::string> files; ///< relative paths
    bool is_too_much() const { return folders_ > most_folders || files.size() > most_files; }

    void collect(const fs::path& folder, const std::string& inner) {
        std::string real = real_path(folder);
        if (++folders_ > most_folders || !open_.insert(real).second) return;
        for (const FolderEntry& entry : list_folder(folder)) {
            std::string path = inner.empty() ? entry.name : inner + "/" + entry.name;
            if (!entry.is_folder)
                files.push_back(path);
            else if (entry.name != ".git" && !any_names(&Conventions::cache_folders, entry.name))
                collect(folder / entry.name, path);
            if (is_too_much()) break;
        }
        open_.erase(real);
    }

  private:
    std::set<std::string> open_; ///< the folders around the present one, without links
    std::size_t folders_ = 0;
};

/// Relative paths; `said` and `where` are the project's word for the folder.
Result<std::vector<std::string>> files_below(const fs::path& folder, const std::string& said,
                                             const std::string& where) {
    Collector below;
    below.collect(folder, "");
    if (!below.is_too_much()) return std::move(below.files);
    return fail(ErrorKind::bad_input, fmt::format("`{}` is too much", said), where,
                fmt::format("there are more than {} files or {} folders; links may lead from folder to "
                            "folder in circles",
                            most_files, most_folders),
                "name the folders that the application reads");
}

/// Files there are made up by the kernel as they are read: they have no size, and some have no end.
bool is_made_up(const fs::path& path) {
    struct statfs system {};
    return ::statfs(path.c_str(), &system) == 0 &&
           (system.f_type == PROC_SUPER_MAGIC || system.f_type == SYSFS_MAGIC);
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

std::string why_no_place(const std::string& path) {
    constexpr std::size_t longest_path = 3000, longest_name = 255;
    if (path.find('\0') != std::string::npos) return "it has a zero byte";
    if (path.size() > longest_path) return fmt::format("it is longer than {} bytes", longest_path);
    for (std::size_t start = 0; start <= path.size();) {
        std::size_t slash = std::min(path.find('/', start), path.size());
        if (slash - start > longest_name)
            return fmt::format("a name in it is longer than {} bytes", longest_name);
        start = slash + 1;
    }
    return {};
}

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
        std::string nowhere = why_no_place(from + to);
        if (nowhere.empty() && is_made_up(start)) nowhere = "the system makes up what is read there";
        if (!nowhere.empty())
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` can't be an asset", asset.from.substr(0, 200)), asset.where,
                        nowhere, "name a file or folder on a disk");
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
        auto files = files_below(start, asset.from, asset.where);
        if (!files) return pass_on(files);
        bool outside = fs::path(fixed).is_absolute() || fixed.starts_with("..");
        std::string base = !to.empty() ? to : outside ? start.filename().string() : fixed;
        if (base == ".") base.clear();
        for (const std::string& file : *files) {
            std::string relative = fixed.empty() ? file : fixed + "/" + file;
            if (pattern_start != std::string::npos && !fits_pattern(relative, from, '/')) continue;
            found.push_back({start / file, base.empty() ? file : base + "/" + file, in_tree});
        }
        if (found.size() == before)
            return nothing_found(asset,
                                 fmt::format("there are {} files in {}", files->size(), start.string()));
    }
    return found;
}

Result<std::vector<AssetFile>> find_initial_state(const Project& project) {
    std::vector<AssetFile> found;
    for (const State& state : project.states) {
        fs::path path = project.folder / state.path;
        if (is_file(path)) found.push_back({path, state.path});
        if (!is_folder(path)) continue;
        auto files = files_below(path, state.path, state.where);
        if (!files) return pass_on(files);
        for (const std::string& file : *files) found.push_back({path / file, state.path + "/" + file});
    }
    return found;
}

} // namespace omnistasis
