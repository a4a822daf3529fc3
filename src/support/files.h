#pragma once

#include "support/error.h"

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis {

namespace fs = std::filesystem;

using Bytes = std::vector<std::uint8_t>;
using ByteSpan = std::span<const std::uint8_t>;

/// A text's bytes.
inline ByteSpan as_bytes(std::string_view text) {
    return {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()};
}

/// Bytes as a text, which stays where they are.
inline std::string_view as_text(ByteSpan bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// A file's whole content. Fails on folders and on what can't be read.
Result<std::string> read_text(const fs::path& file);

/// Which file a name leads to; all zero where it leads to none that can be read.
struct FileIdentity {
    std::uint64_t device = 0, number = 0, size = 0;
    bool is_there = false;
};

/// A read-only view of a file's content that stays valid while the object lives. An empty file gives an
/// empty span. Small files are read: that takes less time than to map and unmap them.
class MappedFile {
  public:
    /// `is_noted`: what is made out of it depends on it, so that a Witness has to hear of it.
    static Result<MappedFile> open(const fs::path& file, bool is_noted = true);

    /// The same where the first bytes of the file are what is looked for. Most files of a folder are not, and
    /// are not mapped then: the error says so. For content that is looked at in parts. `head` has 64 bytes,
    /// or all that a shorter file has.
    static Result<MappedFile> open_if(const std::string& file, bool (*is_wanted)(ByteSpan head),
                                      FileIdentity& identity);
    ByteSpan bytes() const {
        return {static_cast<const std::uint8_t*>(address_.get()), address_.get_deleter().size};
    }
    std::string_view text() const {
        return {static_cast<const char*>(address_.get()), address_.get_deleter().size};
    }

  private:
    static Result<MappedFile> map(int descriptor, const fs::path& file, std::size_t size, bool in_part);
    struct Release {
        std::size_t size = 0;
        bool is_mapped = false;
        void operator()(void* address) const;
    };
    MappedFile(void* address, Release release) : address_(address, release) {}
    std::unique_ptr<void, Release> address_;
};

/// Writes `content` so that `file` holds either what it held before or all of the new content: a temporary
/// file in the same folder, then a rename.
Result<void> write_atomically(const fs::path& file, std::string_view content, unsigned mode = 0644);

/// Writes a new file; for use inside a folder that is itself put in place at once.
Result<void> write_new(const fs::path& file, ByteSpan content, unsigned mode);

/// One entry of a folder, links followed.
struct FolderEntry {
    std::string name;
    bool is_folder = false;
    bool is_link = false; ///< to that
};

/// What is at a path, links followed. Like all that reads, these report to the Witness.
bool is_there(const fs::path& path);
bool is_file(const fs::path& path);
bool is_folder(const fs::path& path);

/// The path without links and dots; as it is where there is nothing.
std::string real_path(const fs::path& path);

/// A folder's entries, sorted by name; empty where it can't be read.
std::vector<FolderEntry> list_folder(const fs::path& folder);

/// Calls `take` for every file and folder below a folder, in no order; what can't be read is passed over, and
/// links to folders are not followed.
void each_entry_below(const fs::path& folder, const std::function<void(const fs::directory_entry&)>& take);

/// A temporary folder next to the place that its content shall take, removed unless it was kept.
class StagingFolder {
  public:
    /// Makes `<parent>/.<name>.staging-<random>`; those of processes that are gone go.
    static Result<StagingFolder> make(const fs::path& parent, const std::string& name);
    StagingFolder(StagingFolder&& other) noexcept : path_(std::move(other.path_)) { other.path_.clear(); }
    StagingFolder& operator=(StagingFolder&&) = delete;
    ~StagingFolder();
    const fs::path& path() const { return path_; }

  private:
    explicit StagingFolder(fs::path path) : path_(std::move(path)) {}
    fs::path path_;
};

/// Removes every staging folder of this process; safe to call from the thread that handles an interruption.
void remove_staging_folders();

/// What is in front of the last slash of a path; empty where there is none.
inline std::string parent_folder_of(const std::string& path) {
    std::size_t slash = path.rfind('/');
    return slash == std::string::npos ? std::string() : path.substr(0, slash);
}

/// `file` relative to `folder`, both absolute; nothing where it is not below.
std::string relative_to(const std::string& file, const std::string& folder);

/// What is behind the last slash of a path: the whole where there is none.
inline std::string base_name(std::string_view path) { return std::string(path.substr(path.rfind('/') + 1)); }

/// Whether a file's name is that of a shared library on Linux: `x.so`, `x.so.1`.
bool is_library_name(const std::string& name);

/// The text of an errno value.
std::string system_text(int error_number);

} // namespace omnistasis
