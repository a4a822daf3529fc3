#include "native/loader_model.h"

#include "native/mach_o_reader.h"
#include "native/own_processor.h"
#include "support/target_info.h"
#include "support/text.h"
#include "support/witness.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <elf.h>
#include <fmt/format.h>
#include <map>
#include <mutex>
#include <sys/stat.h>

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
    static std::mutex mutex;
    static std::map<std::uint32_t, Folders> all;
    std::lock_guard lock(mutex);
    auto [entry, is_new] = all.try_emplace(elf.machine);
    if (!is_new) return entry->second;
    const LinuxFolders& names = linux_folders(elf.machine);
    bool multiarch = is_folder(fs::path("/lib") / names.several);
    std::string inner = "lib/" + names.several;
    entry->second = multiarch ? Folders{inner, {"/" + inner, "/usr/" + inner, "/lib", "/usr/lib"}}
                              : Folders{names.one, {"/" + names.one, "/usr/" + names.one}};
    return entry->second;
}

} // namespace

std::string_view word_of(FoundBy found_by) {
    static constexpr std::array<std::string_view, 7> words{"start",   "path",  "rpath",         "environment",
                                                           "runpath", "cache", "default folder"};
    return words[static_cast<std::size_t>(found_by)];
}

/// What is at a path. Not ELF and not there are two things: the loader stops at the first.
struct LoaderModel::File {
    std::string path;
    FileIdentity identity;
    std::uint32_t identity_number = 0;
    bool may_be_native = false;
    std::optional<ElfFile> elf;
    std::optional<MappedFile> mapped;
    std::uint32_t soname = 0; ///< the number of elf->soname

    /// An entry of elf->needed. What it leads to is kept where that depends on this file alone.
    struct Need {
        std::uint32_t name = 0;
        std::atomic<FoundBy> found_by = FoundBy::start;
        std::atomic<const File*> found = nullptr;
    };
    std::unique_ptr<Need[]> needed;

    /// An entry of elf->version_needs, with a library that was seen to have all its versions.
    struct VersionNeed {
        std::uint32_t library = 0;
        std::atomic<const ElfFile*> right = nullptr;
    };
    std::unique_ptr<VersionNeed[]> version_needs;
};

namespace {

/// The objects that numbers stand for.
class ObjectOf {
  public:
    static constexpr std::uint32_t none = LoadedProcess::nowhere;
    std::uint32_t operator[](std::uint32_t number) const {
        return number < objects_.size() ? objects_[number] : none;
    }
    /// The first one that is given for a number stays.
    void add(std::uint32_t number, std::size_t object) {
        if (number >= objects_.size()) objects_.resize(number + 1 + number / 8, none);
        if (objects_[number] == none) objects_[number] = static_cast<std::uint32_t>(object);
    }

  private:
    std::vector<std::uint32_t> objects_;
};

} // namespace

struct LoaderModel::Process {
    LoadedProcess result;
    std::vector<const File*> files; ///< of the objects
    ObjectOf of_name;               ///< that objects were asked for by, or call themselves
    ObjectOf of_identity;
    bool has_rpath = false; ///< an object's DT_RPATH counts for those that it loads
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

std::optional<LoaderModel::Binary> LoaderModel::binary_at(const std::string& path) const {
    auto known = files_.find(path);
    if (known == files_.end()) {
        auto file = read_file(path);
        if (!file->may_be_native) return std::nullopt;
        known = files_.emplace(path, std::move(file)).first;
    }
    const File& file = *known->second;
    if (!file.may_be_native) return std::nullopt;
    return Binary{file.identity.size, file.elf ? &*file.elf : nullptr, file.mapped ? &*file.mapped : nullptr};
}

const LoaderModel::File& LoaderModel::file_at(const std::string& path) const {
    if (auto known = files_.find(path); known != files_.end()) return *known->second;
    return *files_.emplace(path, read_file(path)).first->second;
}

std::unique_ptr<LoaderModel::File> LoaderModel::read_file(const std::string& path) const {
    auto file = std::make_unique<File>();
    file->path = path;
    auto mapped = MappedFile::open_if(path, is_binary, file->identity);
    if (mapped) {
        file->may_be_native = true;
        file->identity_number = identities_.of({file->identity.device, file->identity.number});
        if (auto elf = read_elf(mapped->bytes(), path)) {
            file->elf = std::move(*elf);
            if (!file->elf->soname.empty()) file->soname = names_.of(file->elf->soname);
            const std::vector<std::string>& needed = file->elf->needed;
            file->needed = std::make_unique<File::Need[]>(needed.size());
            for (std::size_t i = 0; i < needed.size(); ++i) file->needed[i].name = names_.of(needed[i]);
            const std::vector<ElfVersionNeed>& versions = file->elf->version_needs;
            file->version_needs = std::make_unique<File::VersionNeed[]>(versions.size());
            for (std::size_t i = 0; i < versions.size(); ++i)
                file->version_needs[i].library = names_.of(versions[i].library);
        }
        // Unmapping makes all threads wait; it is done once, at the end.
        if (++kept_mappings_ < most_mappings) file->mapped.emplace(std::move(*mapped));
    }
    return file;
}

/// What the loader puts in front of a name in a folder: the folders in it for this processor's abilities that
/// are there, and the folder itself; each with a `/` behind. Empty where there is no such folder.
const std::vector<std::string>& LoaderModel::beginnings_in(std::string folder) const {
    while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
    if (auto known = folders_.find(folder); known != folders_.end()) return known->second;
    std::vector<std::string> beginnings;
    if (is_folder(folder)) {
        std::string start = folder == "/" ? folder : folder + "/";
        for (const std::string& capability : capabilities_)
            if (is_folder(start + capability)) beginnings.push_back(start + capability);
        beginnings.push_back(start);
    }
    return folders_.emplace(std::move(folder), std::move(beginnings)).first->second;
}

std::vector<std::string> LoaderModel::folders_of(const std::string& list, std::string_view path,
                                                 const ElfFile& elf) const {
    std::vector<std::string> folders = split(list, ":");
    std::string origin = fs::absolute(path).parent_path().string();
    const TargetInfo* target = target_with(System::linux, elf.machine);
    std::string_view platform = !platform_.empty()  ? std::string_view(platform_)
                                : target != nullptr ? std::string_view(target->processor)
                                                    : std::string_view(host_info().processor);
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
    for (const std::string& folder : folders)
        for (const std::string& beginning : beginnings_in(folder)) {
            std::string path = beginning + name;
            const File& file = file_at(path);
            if (!file.identity.is_there) continue;
            if (!file.elf) {
                error = path + " is no ELF file";
                return path;
            }
            if (file.elf->same_machine(like)) return path;
        }
    return {};
}

std::string LoaderModel::find(const std::string& name, const std::vector<LoadedObject>& objects,
                              std::size_t asked_by, FoundBy& found_by, std::string& error) const {
    const ElfFile& main = *objects[0].elf;
    const LoadedObject& asking = objects[asked_by];
    // The kernel tells a program where it really is; a library is where it was found, links not followed.
    std::string program =
        main.interpreter.empty() ? std::string(objects[0].path) : real_path(std::string(objects[0].path));
    auto place_of = [&](std::size_t object) {
        return object == 0 ? std::string_view(program) : objects[object].path;
    };
    if (name.find('/') != std::string::npos) {
        std::string path = folders_of(name, place_of(asked_by), main).front();
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
        return look(FoundBy::rpath, folders_of(*elf.rpath, place_of(object), elf));
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
                look(FoundBy::runpath, folders_of(*asking.elf->runpath, place_of(asked_by), *asking.elf));
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

/// The file for what objects[asked_by] names as number `need`; null where there is none.
const LoaderModel::File* LoaderModel::found_for(const Process& process, std::size_t asked_by,
                                                std::size_t need, FoundBy& found_by,
                                                std::string& error) const {
    static const File nowhere;
    const File& asking = *process.files[asked_by];
    File::Need& kept = asking.needed[need];
    // Only the search paths of those that loaded it can lead two processes to different files.
    bool depends = process.has_rpath;
    if (const File* found = depends ? nullptr : kept.found.load(std::memory_order_acquire)) {
        found_by = kept.found_by.load(std::memory_order_relaxed);
        return found == &nowhere ? nullptr : found;
    }
    std::string path = find(asking.elf->needed[need], process.result.objects, asked_by, found_by, error);
    if (!error.empty()) return nullptr;
    const File* found = path.empty() ? nullptr : &file_at(path);
    if (!depends) {
        kept.found_by.store(found_by, std::memory_order_relaxed);
        kept.found.store(found == nullptr ? &nowhere : found, std::memory_order_release);
    }
    return found;
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
        // The file that everything starts with is known by its path alone.
        if (index > 0 && !object.elf->soname.empty()) process.of_name.add(file.soname, index);
        process.of_identity.add(file.identity_number, index);
        if (object.elf->rpath && !object.elf->runpath) process.has_rpath = true;
        process.files.push_back(&file);
        result.objects.push_back(object);
    };
    add({first.path, first.path, FoundBy::start, 0, &*first.elf}, first);
    for (std::size_t i = 0; i < result.objects.size(); ++i) {
        const File& asking = *process.files[i];
        result.objects[i].first_need = result.found.size();
        for (std::size_t n = 0; n < asking.elf->needed.size(); ++n) {
            std::uint32_t name = asking.needed[n].name;
            std::uint32_t& found = result.found.emplace_back(process.of_name[name]);
            if (found != ObjectOf::none) continue;
            FoundBy found_by = FoundBy::cache;
            std::string error;
            const File* file = found_for(process, i, n, found_by, error);
            if (!error.empty()) result.error = error;
            if (file == nullptr) {
                result.not_found.push_back({asking.elf->needed[n], i});
                continue;
            }
            found = process.of_identity[file->identity_number];
            bool is_new = found == ObjectOf::none;
            if (is_new) found = static_cast<std::uint32_t>(result.objects.size());
            process.of_name.add(name, found);
            if (!is_new) continue;
            add({asking.elf->needed[n], file->path, found_by, i, &*file->elf}, *file);
        }
    }
    for (std::size_t i = 0; i < result.objects.size(); ++i)
        for (std::size_t n = 0; n < result.objects[i].elf->version_needs.size(); ++n) {
            File::VersionNeed& kept = process.files[i]->version_needs[n];
            std::uint32_t from = process.of_name[kept.library];
            if (from == ObjectOf::none) continue; // it is not found, which is told already
            const ElfFile* library = result.objects[from].elf;
            if (kept.right.load(std::memory_order_relaxed) == library) continue;
            auto missing = missing_versions(result.objects[i].elf->version_needs[n], *library);
            if (missing.empty()) kept.right.store(library, std::memory_order_relaxed);
            for (const std::string& version : missing)
                result.mismatches.push_back({version, result.objects[from].path, i});
        }
    return std::move(result);
}

} // namespace omnistasis::native
