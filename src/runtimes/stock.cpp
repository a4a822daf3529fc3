#include "runtimes/stock.h"

#include "runtimes/registry.h"
#include "support/archive.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/json.h"
#include "support/json_field.h"
#include "support/near_match.h"
#include "support/user_data.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis {

namespace {

constexpr std::uint64_t largest_runtime = 4ull << 30;
constexpr const char* facts_file = "runtime.json";
constexpr const char* files_folder = "files";

/// "20.9.1" is older than "20.10.0".
bool is_older(const std::string& left, const std::string& right) {
    std::vector<int> numbers[2];
    for (int side = 0; side < 2; ++side) {
        const std::string& text = side == 0 ? left : right;
        for (std::size_t at = 0; at < text.size();) {
            numbers[side].push_back(std::atoi(text.c_str() + at));
            std::size_t dot = text.find('.', at);
            at = dot == std::string::npos ? text.size() : dot + 1;
        }
    }
    return numbers[0] < numbers[1];
}

Result<std::string> content_hash(const fs::path& folder, std::uint64_t& size, std::size_t& count) {
    std::vector<std::string> lines;
    std::optional<Error> failed;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        std::string inner = entry.path().lexically_relative(folder).string();
        std::error_code ignored;
        if (entry.is_symlink(ignored)) {
            lines.push_back(fmt::format("{} -> {}", inner, fs::read_symlink(entry.path(), ignored).string()));
        } else if (entry.is_regular_file(ignored)) {
            auto content = MappedFile::open(entry.path());
            if (!content) {
                failed = content.error();
                return;
            }
            size += content->bytes().size();
            ++count;
            lines.push_back(fmt::format("{} {}", inner, hex(sha256(content->bytes()))));
        }
    });
    if (failed) return tl::make_unexpected(*failed);
    std::ranges::sort(lines);
    return hex(sha256(fmt::format("{}", fmt::join(lines, "\n"))));
}

/// Packages of registries may have a whole runtime as an archive in them: where nothing is recognised without
/// it, each is unpacked in its place.
Result<void> unpack_inner_archives(const fs::path& files) {
    for (const auto& [language, found] : recognise_runtimes(files))
        if (!found.empty()) return {};
    std::vector<fs::path> archives;
    each_entry_below(files, [&](const fs::directory_entry& entry) {
        std::string name = entry.path().filename().string();
        bool is_archive =
            std::ranges::any_of(std::array<std::string_view, 5>{".zip", ".tar.gz", ".tgz", ".tar.xz", ".jar"},
                                [&](std::string_view ending) { return name.ends_with(ending); });
        if (is_archive && entry.is_regular_file()) archives.push_back(entry.path());
    });
    std::ranges::sort(archives);
    for (const fs::path& archive : archives) {
        fs::path folder = archive;
        folder += ".unpacked";
        std::error_code failed;
        fs::create_directory(folder, failed);
        if (auto done = unpack_archive(archive, folder, largest_runtime); !done) return done;
    }
    return {};
}

/// Some runtimes come with a part of them in a zip.
Result<void> unpack_parts(const fs::path& files) {
    for (const auto& [language, found] : recognise_runtimes(files))
        for (const Recognised& one : found) {
            if (one.packed.empty()) continue;
            std::error_code failed;
            fs::create_directories(files / one.unpacked, failed);
            if (auto done = unpack_archive(files / one.packed, files / one.unpacked, largest_runtime); !done)
                return done;
            fs::remove(files / one.packed, failed);
        }
    return {};
}

} // namespace

RuntimeStock RuntimeStock::of_user() {
    return RuntimeStock(user_data_folder("runtimes", "OMNISTASIS_RUNTIMES"));
}

std::vector<StockedRuntime> RuntimeStock::list() const {
    std::vector<StockedRuntime> found;
    for (const FolderEntry& entry : list_folder(folder_)) {
        auto text = read_text(folder_ / entry.name / facts_file);
        if (!text) continue;
        auto json = parse_json(*text);
        StockedRuntime one;
        one.language = field_or(json, "language", "");
        one.version = field_or(json, "version", "");
        one.target = field_or(json, "target", "");
        one.size = field_or(json, "size", std::uint64_t(0));
        one.files = field_or(json, "files", std::size_t(0));
        one.id = entry.name;
        one.folder = folder_ / entry.name / files_folder;
        if (one.language.empty() || !is_folder(one.folder)) continue;
        found.push_back(one);
        for (const Json& target : field_or(json, "other_targets", Json::array())) {
            if (!target.is_string()) continue;
            one.target = target.get<std::string>();
            found.push_back(one);
        }
    }
    return found;
}

Result<StockedRuntime> RuntimeStock::add(const fs::path& source) const {
    if (!is_there(source))
        return fail(ErrorKind::bad_input, "there is no such folder or archive", source.string(), "",
                    "name the folder of a runtime, or a tar or zip file of one");
    std::error_code failed;
    fs::create_directories(folder_, failed);
    if (failed)
        return fail(ErrorKind::unwritable, "can't make the folder", folder_.string(), failed.message());
    auto staging = StagingFolder::make(folder_, "runtime");
    if (!staging) return pass_on(staging);
    fs::path files = staging->path() / files_folder;
    if (is_folder(source)) {
        fs::copy(source, files, fs::copy_options::recursive | fs::copy_options::copy_symlinks, failed);
        if (failed)
            return fail(ErrorKind::bad_input, "the folder can't be copied", source.string(),
                        failed.message());
    } else {
        fs::create_directory(files, failed);
        if (auto done = unpack_archive(source, files, largest_runtime); !done) return pass_on(done);
        if (auto done = unpack_inner_archives(files); !done) return pass_on(done);
    }
    if (auto done = unpack_parts(files); !done) return pass_on(done);
    StockedRuntime one;
    std::string folder;
    std::vector<std::string> seen;
    for (auto& [language, recognised] : recognise_runtimes(files))
        for (const Recognised& runtime : recognised) {
            one.language = language;
            one.version = runtime.version;
            one.target = runtime.target;
            one.other_targets = runtime.other_targets;
            one.remarks = runtime.remarks;
            folder = runtime.folder;
            // Not all archives keep modes.
            fs::permissions(files / runtime.program,
                            fs::perms::owner_exec | fs::perms::group_exec | fs::perms::others_exec,
                            fs::perm_options::add, failed);
            if (!runtime.problem.empty())
                return fail(ErrorKind::bad_input, "nothing can be built with this runtime", source.string(),
                            runtime.problem,
                            runtime.advice.empty() ? "get it anew from where its publisher offers it"
                                                   : runtime.advice);
            seen.push_back(fmt::format("{} ({} {} for {})", runtime.program, language, runtime.version,
                                       runtime.target.empty() ? "an unknown system" : runtime.target));
        }
    if (seen.empty())
        return fail(ErrorKind::bad_input, "no known runtime was found", source.string(),
                    "none of its files is the program of a language that is known",
                    fmt::format("known are: {}", fmt::join(language_names(), ", ")));
    if (seen.size() > 1)
        return fail(ErrorKind::bad_input, "several runtimes were found", source.string(),
                    fmt::format("{}", fmt::join(seen, ", ")),
                    "add them one by one, each from its own folder");
    if (one.target.empty())
        return fail(ErrorKind::bad_input, "the runtime is for an unknown target", source.string(),
                    seen.front(), fmt::format("targets are {}", fmt::join(known_targets(), ", ")));
    if (one.version.empty())
        return fail(ErrorKind::bad_input, "the runtime does not say its version", source.string(),
                    seen.front(), "get it from where its publisher offers it");
    if (!folder.empty()) {
        // What lies around it in a package is not its own.
        fs::path inner = staging->path() / "inner";
        fs::rename(files / folder, inner, failed);
        fs::remove_all(files, failed);
        fs::rename(inner, files, failed);
        if (failed)
            return fail(ErrorKind::unwritable, "can't move the runtime", files.string(), failed.message());
    }
    auto hash = content_hash(files, one.size, one.files);
    if (!hash) return pass_on(hash);
    // The system alone where it is for several processors.
    std::string is_for = one.other_targets.empty() ? one.target : one.target.substr(0, one.target.find('-'));
    one.id = fmt::format("{}-{}-{}-{}", one.language, one.version, is_for, hash->substr(0, 8));
    one.folder = folder_ / one.id / files_folder;
    Json json{{"format", 1},          {"language", one.language}, {"version", one.version},
              {"target", one.target}, {"size", one.size},         {"files", one.files},
              {"content", *hash}};
    if (!one.other_targets.empty()) json["other_targets"] = one.other_targets;
    if (auto written = write_atomically(staging->path() / facts_file, json_lines(json)); !written)
        return pass_on(written);
    if (is_folder(folder_ / one.id)) return one; // the same is there already
    fs::rename(staging->path(), folder_ / one.id, failed);
    if (failed && !is_folder(folder_ / one.id))
        return fail(ErrorKind::missing, "can't put the runtime in its place", (folder_ / one.id).string(),
                    failed.message());
    return one;
}

Result<StockedRuntime> RuntimeStock::find(const std::string& id) const {
    std::vector<StockedRuntime> fitting;
    std::vector<std::string> ids;
    for (StockedRuntime& one : list()) {
        if (one.id == id) return one;
        if (!ids.empty() && ids.back() == one.id) continue; // the same for another target
        ids.push_back(one.id);
        if (one.id.starts_with(id)) fitting.push_back(std::move(one));
    }
    if (fitting.size() == 1) return fitting.front();
    if (!fitting.empty()) {
        std::vector<std::string> names;
        for (const StockedRuntime& one : fitting) names.push_back(one.id);
        return fail(ErrorKind::bad_input, fmt::format("`{}` is the beginning of several runtimes", id), "",
                    "", fmt::format("name one: {}", fmt::join(names, ", ")));
    }
    auto near = near_matches(id, ids);
    return fail(ErrorKind::bad_input, fmt::format("there is no runtime `{}`", id), "", "",
                near.empty() ? std::string("`omnistasis runtimes list` shows those that there are")
                             : fmt::format("did you mean {}?", fmt::join(near, " or ")));
}

Result<StockedRuntime> RuntimeStock::remove(const std::string& id) const {
    auto one = find(id);
    if (!one) return one;
    std::error_code failed = take_out(folder_ / one->id);
    if (failed && is_folder(folder_ / one->id))
        return fail(ErrorKind::unwritable, "can't remove the runtime", one->folder.string(),
                    failed.message());
    return one;
}

std::error_code take_out(const fs::path& folder) {
    fs::path away = folder.parent_path() / ("." + folder.filename().string());
    std::error_code failed;
    fs::remove_all(away, failed);
    fs::rename(folder, away, failed);
    if (!failed) fs::remove_all(away, failed);
    return failed;
}

std::optional<StockedRuntime> RuntimeStock::newest(const std::string& language, const std::string& target,
                                                   const std::string& version) const {
    std::optional<StockedRuntime> best;
    for (StockedRuntime& one : list()) {
        bool fits = one.language == language && one.target == target &&
                    (version.empty() || one.version == version || one.version.starts_with(version + "."));
        if (fits && (!best || is_older(best->version, one.version))) best = std::move(one);
    }
    return best;
}

} // namespace omnistasis
