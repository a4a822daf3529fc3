#include "native/loader_model.h"

#include "native/mach_o_reader.h"
#include "support/text.h"
#include "support/witness.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <elf.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unordered_map>

namespace omnistasis::native {

namespace {

std::vector<std::string> split(std::string_view list, std::string_view separators) {
    std::vector<std::string> parts;
    for (;;) {
        std::size_t end = list.find_first_of(separators);
        // An empty part is the present folder.
        std::string_view part = list.substr(0, end);
        parts.emplace_back(part.empty() ? "." : part);
        if (end == std::string_view::npos) return parts;
        list.remove_prefix(end + 1);
    }
}

bool is_binary(ByteSpan head) {
    return looks_like_elf(head) || looks_like_mach_o(head) ||
           (head.size() > 1 && head[0] == 'M' && head[1] == 'Z');
}

/// The kernel allows some 65,000 mappings to a process.
constexpr std::size_t most_mappings = 20'000;

/// The folder that $LIB stands for, and those that are always looked into, by the machine's convention.
struct Folders {
    std::string lib;
    std::vector<std::string> always;
};

const Folders& folders_for(const ElfFile& elf) {
    static const auto make = [](const char* triplet, const char* lib) {
        bool multiarch = is_folder(fs::path("/lib") / triplet);
        std::string inner = fmt::format("lib/{}", triplet);
        return multiarch ? Folders{inner, {"/" + inner, "/usr/" + inner, "/lib", "/usr/lib"}}
                         : Folders{lib, {fmt::format("/{}", lib), fmt::format("/usr/{}", lib)}};
    };
    static const Folders x86_64 = make("x86_64-linux-gnu", "lib64"),
                         aarch64 = make("aarch64-linux-gnu", "lib64"), i386 = make("i386-linux-gnu", "lib");
    return elf.machine == EM_AARCH64 ? aarch64 : elf.machine == EM_386 ? i386 : x86_64;
}

/// The sub-folders for this processor, best first: glibc-hwcaps, then the combinations of older names.
std::vector<std::string> processor_folders(std::string& platform) {
    std::vector<std::string> folders;
    platform = "x86_64";
#if defined(__x86_64__)
    __builtin_cpu_init();
    bool v2 = __builtin_cpu_supports("sse4.2") && __builtin_cpu_supports("popcnt") &&
              __builtin_cpu_supports("ssse3");
    bool v3 = v2 && __builtin_cpu_supports("avx2") && __builtin_cpu_supports("bmi") &&
              __builtin_cpu_supports("bmi2") && __builtin_cpu_supports("fma");
    bool v4 = v3 && __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512bw") &&
              __builtin_cpu_supports("avx512cd") && __builtin_cpu_supports("avx512dq") &&
              __builtin_cpu_supports("avx512vl");
    for (auto [has, name] : {std::pair(v4, "x86-64-v4"), {v3, "x86-64-v3"}, {v2, "x86-64-v2"}})
        if (has) folders.push_back(fmt::format("glibc-hwcaps/{}/", name));
    std::vector<std::string> older{"tls"};
    if (v3) older.push_back(platform = "haswell");
    if (v4) older.push_back("avx512_1");
    older.push_back("x86_64");
    for (std::size_t set = (std::size_t(1) << older.size()) - 1; set > 0; --set) {
        std::string folder;
        for (std::size_t i = 0; i < older.size(); ++i)
            if ((set >> (older.size() - 1 - i)) & 1) folder += older[i] + "/";
        folders.push_back(std::move(folder));
    }
#endif
    return folders;
}

} // namespace

std::string_view word_of(FoundBy found_by) {
    static constexpr std::array<std::string_view, 7> words{"start",   "path",  "rpath",         "environment",
                                                           "runpath", "cache", "default folder"};
    return words[static_cast<std::size_t>(found_by)];
}

/// What is at a path. Not ELF and not there are two things: the loader stops at the first.
struct LoaderModel::File {
    FileIdentity identity;
    bool may_be_native = false;
    std::optional<ElfFile> elf;
    std::optional<MappedFile> mapped;
    /// For each of the ELF file's version needs, a library that was seen to have them all.
    std::unique_ptr<std::atomic<const ElfFile*>[]> right;
};

struct LoaderModel::Process {
    LoadedProcess result;
    std::unordered_map<std::string, std::size_t>
        by_name; ///< names that stand for objects: asked for, or their own
    std::vector<const File*> files;
};

LoaderModel::LoaderModel(Machine machine) : cache_(LoaderCache::read()) {
    if (machine == Machine::this_one) capabilities_ = processor_folders(platform_);
    if (const char* path = std::getenv("LD_LIBRARY_PATH"); path != nullptr && *path != '\0')
        library_path_ = split(path, ":;");
}

LoaderModel::~LoaderModel() = default;

const ElfFile* LoaderModel::elf_at(const std::string& path) const {
    const File& file = file_at(path);
    return file.elf ? &*file.elf : nullptr;
}

std::uint64_t LoaderModel::size_of(const std::string& path) const { return file_at(path).identity.size; }

bool LoaderModel::may_be_native(const std::string& path) const { return file_at(path).may_be_native; }

const LoaderModel::File& LoaderModel::file_at(const std::string& path) const {
    {
        std::lock_guard lock(mutex_);
        if (auto known = files_.find(path); known != files_.end()) return *known->second;
    }
    auto file = std::make_unique<File>();
    auto mapped = MappedFile::open_if(path, is_binary, file->identity);
    if (mapped) {
        file->may_be_native = true;
        if (auto elf = read_elf(mapped->bytes(), path)) {
            file->elf = std::move(*elf);
            file->right = std::make_unique<std::atomic<const ElfFile*>[]>(file->elf->version_needs.size());
        }
        // Unmapping makes all threads wait; it is done once, at the end.
        if (++kept_mappings_ < most_mappings) file->mapped.emplace(std::move(*mapped));
    }
    std::lock_guard lock(mutex_);
    return *files_.try_emplace(path, std::move(file)).first->second;
}

bool LoaderModel::has_folder(const std::string& folder) const {
    std::lock_guard lock(mutex_);
    auto [entry, is_new] = folders_.try_emplace(folder, false);
    if (is_new) entry->second = is_folder(folder);
    return entry->second;
}

std::vector<std::string> LoaderModel::folders_of(const std::string& list, const std::string& path,
                                                 const ElfFile& elf) const {
    std::vector<std::string> folders = split(list, ":");
    std::string origin = fs::absolute(path).parent_path().string();
    std::string_view platform = !platform_.empty()          ? std::string_view(platform_)
                                : elf.machine == EM_AARCH64 ? "aarch64"
                                                            : "x86_64";
    for (std::string& folder : folders)
        for (auto [word, value] : {std::pair<std::string_view, std::string_view>{"ORIGIN", origin},
                                   {"LIB", folders_for(elf).lib},
                                   {"PLATFORM", platform}}) {
            replace_all(folder, fmt::format("${{{}}}", word), value);
            replace_all(folder, fmt::format("${}", word), value);
        }
    return folders;
}

/// The first folder that has a file of the name wins, unless the file is for another machine.
std::string LoaderModel::look_in(const std::vector<std::string>& folders, const std::string& name,
                                 const ElfFile& like, std::string& error) const {
    for (std::string folder : folders) {
        while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
        if (!has_folder(folder)) continue;
        auto fits = [&](const std::string& path) {
            const File& file = file_at(path);
            if (!file.identity.is_there) return false;
            if (!file.elf) {
                error = path + " is no ELF file";
                return true;
            }
            return file.elf->same_machine(like);
        };
        std::string start = folder == "/" ? folder : folder + "/";
        for (const std::string& capability : capabilities_)
            if (has_folder(start + capability) && fits(start + capability + name))
                return start + capability + name;
        if (fits(start + name)) return start + name;
    }
    return {};
}

std::string LoaderModel::find(const std::string& name, const std::vector<LoadedObject>& objects,
                              std::size_t asked_by, FoundBy& found_by, std::string& error) const {
    const ElfFile& main = *objects[0].elf;
    const LoadedObject& asking = objects[asked_by];
    if (name.find('/') != std::string::npos) {
        std::string path = folders_of(name, asking.path, main).front();
        found_by = FoundBy::path;
        const File& file = file_at(path);
        return file.identity.is_there && file.elf && file.elf->same_machine(main) ? path : std::string();
    }
    auto look = [&](FoundBy how, const std::vector<std::string>& folders) {
        found_by = how;
        return look_in(folders, name, main, error);
    };
    auto rpath_of = [&](std::size_t object) -> std::string {
        const ElfFile& elf = *objects[object].elf;
        if (!elf.rpath || elf.runpath) return {};
        return look(FoundBy::rpath, folders_of(*elf.rpath, objects[object].path, elf));
    };
    if (!asking.elf->runpath) {
        // Those that loaded the one that asks, up to the program; the program itself in any case.
        for (std::size_t by = asked_by;; by = objects[by].asked_by) {
            if (std::string found = rpath_of(by); !found.empty()) return found;
            if (by == 0) break;
        }
    }
    if (std::string found = look(FoundBy::environment, library_path_); !found.empty()) return found;
    if (asking.elf->runpath)
        if (std::string found =
                look(FoundBy::runpath, folders_of(*asking.elf->runpath, asking.path, *asking.elf));
            !found.empty())
            return found;
    const Folders& folders = folders_for(main);
    found_by = FoundBy::cache;
    for (const std::string& path : cache_.find(name)) {
        bool in_default =
            asking.elf->ignores_default_folders &&
            std::ranges::find(folders.always, fs::path(path).parent_path().string()) != folders.always.end();
        const File& file = file_at(path);
        if (!in_default && file.identity.is_there && file.elf && file.elf->same_machine(main)) return path;
    }
    if (asking.elf->ignores_default_folders) return {};
    return look(FoundBy::default_folder, folders.always);
}

LoadedProcess LoaderModel::load(const std::string& path) const {
    Process process;
    LoadedProcess& result = process.result;
    const File& first = file_at(path);
    if (!first.elf) {
        result.error = first.identity.is_there ? "it is no ELF file" : "it is not there";
        return std::move(result);
    }
    auto add = [&](LoadedObject object, const File& file) {
        std::size_t index = result.objects.size();
        process.by_name.emplace(object.name, index);
        // The file that everything starts with is known by its path alone.
        if (index > 0 && !object.elf->soname.empty()) process.by_name.emplace(object.elf->soname, index);
        process.files.push_back(&file);
        result.objects.push_back(std::move(object));
    };
    add({path, path, FoundBy::start, 0, &*first.elf}, first);
    for (std::size_t i = 0; i < result.objects.size(); ++i) {
        // The objects' list grows while it is walked; the files stay where they are.
        const std::vector<std::string>& needed = result.objects[i].elf->needed;
        for (const std::string& name : needed) {
            if (process.by_name.contains(name)) continue;
            FoundBy found_by = FoundBy::cache;
            std::string error;
            std::string found = find(name, result.objects, i, found_by, error);
            if (!error.empty()) result.error = error;
            if (found.empty() || !error.empty()) {
                result.not_found.push_back({name, i});
                continue;
            }
            const File& file = file_at(found);
            auto same = std::ranges::find_if(process.files, [&](const File* other) {
                return other->identity.number == file.identity.number &&
                       other->identity.device == file.identity.device;
            });
            if (same != process.files.end()) {
                process.by_name.emplace(name, static_cast<std::size_t>(same - process.files.begin()));
                continue;
            }
            add({name, found, found_by, i, &*file.elf}, file);
        }
    }
    for (std::size_t i = 0; i < result.objects.size(); ++i)
        for (std::size_t n = 0; n < result.objects[i].elf->version_needs.size(); ++n) {
            const ElfVersionNeed& need = result.objects[i].elf->version_needs[n];
            auto found = process.by_name.find(need.library);
            if (found == process.by_name.end()) continue; // it is not found, which is told already
            std::size_t from = found->second;
            const ElfFile* library = result.objects[from].elf;
            auto& right = process.files[i]->right[n];
            if (right.load(std::memory_order_relaxed) == library) continue;
            auto missing = missing_versions(need, *library);
            if (missing.empty()) right.store(library, std::memory_order_relaxed);
            for (const std::string& version : missing)
                result.mismatches.push_back({version, result.objects[from].path, i});
        }
    return std::move(result);
}

} // namespace omnistasis::native
