#include "trace/library_data.h"

#include "native/compiled_paths.h"
#include "native/library_weight.h"
#include "native/native_kind.h"
#include "project/assets.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/kept_words.h"
#include "support/pattern.h"
#include "support/system_packages.h"
#include "support/target_info.h"

#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <set>

namespace omnistasis::trace {

namespace {

/// Bytes of the files at one path that go along, and of plug-ins that are known to be needed.
constexpr std::uint64_t most_bytes = 20u << 20;
constexpr std::uint64_t most_plug_in_bytes = 100u << 20;
constexpr std::size_t most_files = 5'000;

/// A path that a native file looks at, and the files that are there.
struct Candidate {
    std::string by;
    std::string path;
    std::vector<std::string> files;
    bool takes_all = false; ///< whatever package they are of
    bool is_direct = false; ///< as the native file
    std::string place;      ///< of the path; empty: as its library's
};

/// The files below a folder, or the file; and those whose name goes on behind a dot: `magic` is `magic.mgc`.
std::vector<std::string> files_at(const std::string& path, bool with_endings,
                                  const std::vector<std::string>& without) {
    std::vector<std::string> files;
    if (is_file(path)) files.push_back(path);
    std::vector<std::string> open;
    if (is_folder(path)) open.push_back(path);
    while (!open.empty() && files.size() <= most_files) {
        std::string folder = std::move(open.back());
        open.pop_back();
        for (const FolderEntry& entry : list_folder(folder)) {
            std::string inner = folder + "/" + entry.name;
            bool stays = std::ranges::any_of(without, [&](const std::string& pattern) {
                return fits_pattern(inner.substr(path.size() + 1), pattern);
            });
            if (stays) continue;
            if (!entry.is_folder)
                files.push_back(inner);
            else if (!entry.is_link)
                open.push_back(inner);
        }
    }
    std::size_t slash = path.rfind('/');
    std::string start = path.substr(slash + 1) + ".";
    if (with_endings)
        for (const FolderEntry& entry : list_folder(path.substr(0, slash)))
            if (!entry.is_folder && entry.name.starts_with(start))
                files.push_back(path.substr(0, slash + 1) + entry.name);
    return files;
}

/// Libraries of the system go into lib/: what lies beside them lies beside them there, for those that look
/// from where they are themselves.
std::string place_beside_libraries(const std::string& path) {
    constexpr std::string_view libraries = "/usr/lib/";
    std::size_t end = path.find('/', libraries.size());
    bool is_of_processor = path.starts_with(libraries) && end != std::string::npos &&
                           is_library_folder(std::string_view(path).substr(0, end));
    return is_of_processor ? "lib" + path.substr(end) : place_of_absolute(path);
}

bool is_below(const std::string& path, const std::map<std::string, std::string>& places) {
    return std::ranges::any_of(
        places, [&](const auto& one) { return path == one.first || path.starts_with(one.first + "/"); });
}

/// What is read out of a folder of settings that the system's owner makes is the system's.
bool leads_to_settings(const std::vector<std::string>& files) {
    return std::ranges::any_of(files, [](const std::string& file) {
        std::string real = real_path(file);
        return !real.empty() && !real.starts_with("/usr/");
    });
}

std::vector<Candidate> candidates_of(const std::vector<NativeFile>& natives, std::size_t first,
                                     const native::HostLibraries& host, Store& store) {
    std::vector<Candidate> candidates;
    std::set<std::string, std::less<>> data_folders;
    std::string search = "compiled paths 2";
    for (const FolderEntry& entry : list_folder("/usr/share"))
        if (entry.is_folder) data_folders.insert(entry.name);
    for (const std::string& name : data_folders) search += ' ' + name;
    search = hex(sha256(search));
    auto paths_in = [&](ByteSpan content) { return native::compiled_paths(content, data_folders); };
    for (std::size_t i = first; i < natives.size(); ++i) {
        const auto& [file, name, is_direct] = natives[i];
        for (const native::HostLibraries::PlugIns& one : host.plug_ins())
            if (fits_pattern(name, one.library))
                for (const std::string& path : one.paths)
                    if (auto files = files_at(path, false, one.without); !files.empty())
                        candidates.push_back(
                            {file, path, std::move(files), true, is_direct,
                             one.place.empty() ? "" : one.place + path.substr(path.rfind('/'))});
        if (!file.starts_with("/usr/")) continue;
        for (const std::string& path : kept_words(file, search, store, paths_in)) {
            bool is_library = is_library_name(base_name(path)) && is_file(path);
            auto files = is_library ? std::vector<std::string>() : files_at(path, true, {});
            // A folder of the library's own name is the one for its plug-ins.
            bool is_plug_ins = is_folder(path) && name.starts_with("lib" + base_name(path) + ".so");
            if (!files.empty() && !leads_to_settings(files))
                candidates.push_back({file, path, std::move(files), is_plug_ins, is_direct, {}});
        }
    }
    return candidates;
}

/// What plug-ins bring along besides what is there.
std::uint64_t weight_besides(const std::vector<std::string>& files, const std::vector<NativeFile>& natives) {
    std::vector<std::string> libraries, there;
    for (const std::string& file : files)
        if (is_library_name(base_name(file))) libraries.push_back(file);
    for (const NativeFile& one : natives) there.push_back(one.file);
    return native::weight_of_new_libraries(libraries, there);
}

} // namespace

LibraryData library_data_of(const std::vector<NativeFile>& natives, std::size_t first,
                            const std::map<std::string, std::string>& known,
                            const native::HostLibraries& host, Store& store) {
    LibraryData data;
    std::vector<Candidate> candidates = candidates_of(natives, first, host, store);
    std::set<std::string> asked;
    for (const Candidate& one : candidates) {
        if (one.takes_all) continue;
        asked.insert(one.by);
        asked.insert(one.files.begin(), one.files.end());
    }
    auto sources = package_sources_of({asked.begin(), asked.end()});
    std::stable_partition(candidates.begin(), candidates.end(), std::mem_fn(&Candidate::takes_all));
    for (Candidate& one : candidates) {
        if (is_below(one.path, known) || is_below(one.path, data.fixed_places)) continue;
        if (!one.takes_all) {
            auto own = sources.find(one.by);
            bool has_any = false;
            std::erase_if(one.files, [&](const std::string& file) {
                auto source = sources.find(file);
                bool is_same =
                    own != sources.end() && source != sources.end() && source->second == own->second;
                has_any |= is_same;
                return source != sources.end() && !is_same;
            });
            if (!has_any) continue;
        }
        std::uint64_t size = 0;
        for (const std::string& file : one.files) {
            std::error_code failed;
            std::uint64_t its_size = fs::file_size(file, failed);
            if (!failed) size += its_size;
        }
        if (one.takes_all && !one.is_direct) size += weight_besides(one.files, natives);
        bool is_wanted = one.takes_all && one.is_direct;
        if (size > (is_wanted ? most_plug_in_bytes : most_bytes) || one.files.size() > most_files) {
            data.loose_ends.push_back(
                {.kind = "fixed-place",
                 .what = fmt::format("{} looks for files in {}, which is too large to go along",
                                     fs::path(one.by).filename().string(), one.path),
                 .file = one.by,
                 .line = 0,
                 .effect = "what it needs from there is missing where the system does not have it",
                 .advice = fmt::format("carry what it needs with --asset FILE={}/FILE", one.path),
                 .minor = true});
            continue;
        }
        bool is_whole = is_there(one.path);
        if (one.place.empty()) one.place = place_beside_libraries(one.path);
        if (is_whole) data.fixed_places.emplace(one.path, one.place);
        for (const std::string& file : one.files) {
            bool is_inside = is_whole && file.starts_with(one.path + "/");
            std::string place =
                is_inside ? one.place + file.substr(one.path.size()) : place_beside_libraries(file);
            if (!is_inside) data.fixed_places.emplace(file, place);
            UnitKind kind = native::kind_of(file).fits(host.target()) ? UnitKind::native : UnitKind::data;
            data.found.push_back({{kind, place, real_path(file), place}, one.by});
        }
    }
    return data;
}

} // namespace omnistasis::trace
