#pragma once

#include "native/elf_reader.h"
#include "native/loader_cache.h"

#include <atomic>
#include <memory>
#include <oneapi/tbb/concurrent_unordered_map.h>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::native {

/// How the loader found a file.
enum class FoundBy : std::uint8_t {
    start,          ///< the file that was to be loaded
    path,           ///< its name is a path
    rpath,          ///< DT_RPATH of the file that asks, or of one that loaded it
    environment,    ///< LD_LIBRARY_PATH
    runpath,        ///< DT_RUNPATH of the file that asks
    cache,          ///< the loader's cache
    default_folder, ///< a folder that it always looks into
};
std::string_view word_of(FoundBy found_by);

/// A file in the process. Its texts and its `elf` stay as long as the model that found it.
struct LoadedObject {
    std::string_view name; ///< that it was first asked for by
    std::string_view path; ///< as the loader found it, links not followed
    FoundBy found_by = FoundBy::start;
    std::size_t asked_by = 0; ///< index of the object that asked first
    const ElfFile* elf = nullptr;
    std::size_t first_need = 0; ///< where what its needs lead to begins in LoadedProcess::found
};

/// A name that is found nowhere.
struct NotFound {
    std::string_view name;
    std::size_t asked_by = 0;
};

/// A symbol version that a file needs of a library which has others (GNU symbol versioning).
struct VersionMismatch {
    std::string version;
    std::string_view library; ///< path
    std::size_t asked_by = 0;
};

/// What is in a process once the loader has done its work, in the order of loading.
struct LoadedProcess {
    std::vector<LoadedObject> objects;
    std::vector<NotFound> not_found;
    std::vector<VersionMismatch> mismatches;
    std::string error; ///< why the loader gives up; empty where it does not

    /// What the names in `elf->needed` lead to, of one object behind the other: the index of an object, or
    /// `nowhere`.
    std::vector<std::uint32_t> found;
    static constexpr std::uint32_t nowhere = ~0u;
};

/// The dynamic loader of this machine (ld.so(8), glibc): which files it would load for a program or library.
/// Files and folders are looked at once, however many programs are asked for. Safe to use from many threads.
class LoaderModel {
  public:
    /// For which machine: this one, with the folders for its processor's abilities, or any of its
    /// architecture, without them.
    enum class Machine : std::uint8_t { this_one, any };
    explicit LoaderModel(Machine machine = Machine::this_one);
    ~LoaderModel();

    LoadedProcess load(const std::string& file) const;

    /// The file for `name`, which objects[asked_by] needs; empty where there is none. objects[0] is the
    /// program.
    std::string find(const std::string& name, const std::vector<LoadedObject>& objects, std::size_t asked_by,
                     FoundBy& found_by, std::string& error) const;

    /// What is at a path; null where it is no ELF file. Stays valid as long as this.
    const ElfFile* elf_at(const std::string& path) const;

    /// A file that begins as one of any binary format does. What it points to stays valid as long as the
    /// model.
    struct Binary {
        std::uint64_t size = 0;
        const ElfFile* elf = nullptr;        ///< null where it is no ELF file, or a damaged one
        const MappedFile* content = nullptr; ///< null where it is not kept
    };
    /// What is at a path; nothing where that is no such file. Of others nothing is remembered: most files of
    /// a folder are none.
    std::optional<Binary> binary_at(const std::string& path) const;

  private:
    struct File;
    struct Process;

    /// Numbers for things that are compared again and again.
    template <class Key, class Hash = std::hash<Key>> class Numbers {
      public:
        std::uint32_t of(const Key& key) {
            if (auto known = numbers_.find(key); known != numbers_.end()) return known->second;
            return numbers_.emplace(key, next_++).first->second;
        }

      private:
        oneapi::tbb::concurrent_unordered_map<Key, std::uint32_t, Hash> numbers_;
        std::atomic<std::uint32_t> next_ = 0;
    };
    struct IdentityHash {
        std::size_t operator()(const std::pair<std::uint64_t, std::uint64_t>& identity) const {
            return identity.second * 31 + identity.first;
        }
    };

    const File& file_at(const std::string& path) const;
    std::unique_ptr<File> read_file(const std::string& path) const;
    const File* found_for(const Process& process, std::size_t asked_by, std::size_t need, FoundBy& found_by,
                          std::string& error) const;
    std::string look_in(const std::vector<std::string>& folders, const std::string& name, const ElfFile& like,
                        std::string& error) const;
    std::vector<std::string> folders_of(const std::string& list, std::string_view path,
                                        const ElfFile& elf) const;
    const std::vector<std::string>& beginnings_in(std::string folder) const;

    LoaderCache cache_;
    std::vector<std::string> library_path_;
    std::string platform_; ///< what $PLATFORM stands for; empty: by the architecture
    std::vector<std::string>
        capabilities_; ///< sub-folders that are looked into first, each with a `/` behind
    mutable std::atomic<std::size_t> kept_mappings_ = 0;
    mutable oneapi::tbb::concurrent_unordered_map<std::string, std::unique_ptr<File>> files_;
    mutable oneapi::tbb::concurrent_unordered_map<std::string, std::vector<std::string>> folders_;
    mutable Numbers<std::string> names_;
    mutable Numbers<std::pair<std::uint64_t, std::uint64_t>, IdentityHash> identities_; ///< device, inode
};

} // namespace omnistasis::native
