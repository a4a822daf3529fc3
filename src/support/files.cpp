#include "support/files.h"

#include "support/witness.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <dirent.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <map>
#include <mutex>
#include <random>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace omnistasis {

namespace {

/// Files of more bytes are mapped instead of read.
constexpr std::size_t most_read = 64u << 10;
/// The same of files of which only some pages are looked at.
constexpr std::size_t most_read_in_part = 12u << 10;

std::mutex staging_mutex;
/// With the descriptor that holds each one's lock; -1 where there is none.
std::map<std::string, int>& staging_folders() {
    static std::map<std::string, int> folders;
    return folders;
}

std::string random_suffix() {
    std::random_device device;
    return fmt::format("{:08x}{:08x}", device(), device());
}

Result<void> write_all(int descriptor, std::string_view content, const fs::path& file) {
    while (!content.empty()) {
        ssize_t count = ::write(descriptor, content.data(), content.size());
        if (count < 0 && errno == EINTR) continue;
        if (count < 0) return fail(ErrorKind::unwritable, "can't write the file", file, system_text(errno));
        content.remove_prefix(static_cast<std::size_t>(count));
    }
    return {};
}

Result<void> create_and_write(const fs::path& file, std::string_view content, unsigned mode) {
    int descriptor = ::open(file.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode);
    if (descriptor < 0) return fail(ErrorKind::unwritable, "can't create the file", file, system_text(errno));
    Result<void> written = write_all(descriptor, content, file);
    ::fchmod(descriptor, mode);
    if (::close(descriptor) != 0 && written)
        return fail(ErrorKind::unwritable, "can't write the file", file, system_text(errno));
    return written;
}

} // namespace

std::string relative_to(const std::string& file, const std::string& folder) {
    if (file.size() <= folder.size() + 1 || !file.starts_with(folder) || file[folder.size()] != '/')
        return {};
    return file.substr(folder.size() + 1);
}

bool is_library_name(const std::string& name) {
    return name.ends_with(".so") || name.find(".so.") != std::string::npos;
}

std::string system_text(int error_number) { return std::generic_category().message(error_number); }

Result<std::string> read_text(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    return std::string(mapped->text());
}

namespace {

/// Opens a file that is to be read; -1 where it is none, with the error in `why`.
int open_file(const char* file, struct stat& status, std::string& why) {
    // A pipe would make us wait for somebody to write into it.
    int descriptor = ::open(file, O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    if (descriptor < 0) {
        why = system_text(errno);
        return -1;
    }
    if (::fstat(descriptor, &status) == 0 && S_ISREG(status.st_mode)) return descriptor;
    why = S_ISDIR(status.st_mode) ? "it is a folder" : "it is not a regular file";
    ::close(descriptor);
    return -1;
}

} // namespace

Result<MappedFile> MappedFile::open(const fs::path& file, bool is_noted) {
    if (is_noted) Witness::saw(file);
    struct stat status {};
    std::string why;
    int descriptor = open_file(file.c_str(), status, why);
    if (descriptor < 0) return fail(ErrorKind::unreadable, "can't read the file", file, why);
    return map(descriptor, file, static_cast<std::size_t>(status.st_size), false);
}

Result<MappedFile> MappedFile::open_if(const std::string& file, bool (*is_wanted)(ByteSpan head),
                                       FileIdentity& identity) {
    Witness::saw(file);
    identity = {};
    struct stat status {};
    std::string why;
    int descriptor = open_file(file.c_str(), status, why);
    if (descriptor < 0) return fail(ErrorKind::unreadable, "can't read the file", file, why);
    identity = {status.st_dev, status.st_ino, static_cast<std::uint64_t>(status.st_size), true};
    std::array<std::uint8_t, 64> head{};
    ssize_t got = ::pread(descriptor, head.data(), head.size(), 0);
    if (got < 0 || !is_wanted(ByteSpan(head).first(static_cast<std::size_t>(got)))) {
        ::close(descriptor);
        return fail(ErrorKind::bad_input, "the file is not one that was searched for", file);
    }
    return map(descriptor, file, static_cast<std::size_t>(status.st_size), true);
}

/// Closes the file.
Result<MappedFile> MappedFile::map(int descriptor, const fs::path& file, std::size_t size, bool in_part) {
    void* address = nullptr;
    Release release{size, size > (in_part ? most_read_in_part : most_read)};
    if (release.is_mapped) {
        address = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor, 0);
    } else if (size > 0) {
        address = std::malloc(size);
        release.size = 0;
        for (::ssize_t got = 1; got > 0 && release.size < size; release.size += static_cast<std::size_t>(got))
            if (got = ::read(descriptor, static_cast<char*>(address) + release.size, size - release.size);
                got < 0) {
                std::free(address);
                address = MAP_FAILED;
                break;
            }
    }
    int reason = errno;
    ::close(descriptor);
    if (address == MAP_FAILED)
        return fail(ErrorKind::unreadable, "can't read the file", file, system_text(reason));
    return MappedFile(address, release);
}

void MappedFile::Release::operator()(void* address) const {
    if (is_mapped) {
        ::munmap(address, size);
    } else {
        std::free(address);
    }
}

Result<void> write_atomically(const fs::path& file, std::string_view content, unsigned mode) {
    fs::path temporary =
        file.parent_path() / fmt::format(".{}.{}", file.filename().string(), random_suffix());
    if (auto written = create_and_write(temporary, content, mode); !written) {
        ::unlink(temporary.c_str());
        written.error().where = file;
        return written;
    }
    if (::rename(temporary.c_str(), file.c_str()) != 0) {
        int reason = errno;
        ::unlink(temporary.c_str());
        return fail(ErrorKind::unwritable, "can't put the file in its place", file, system_text(reason));
    }
    return {};
}

Result<void> write_new(const fs::path& file, ByteSpan content, unsigned mode) {
    return create_and_write(file, as_text(content), mode);
}

bool is_there(const fs::path& path) {
    Witness::saw(path);
    std::error_code ignored;
    return fs::exists(path, ignored);
}

bool is_file(const fs::path& path) {
    Witness::saw(path);
    std::error_code ignored;
    return fs::is_regular_file(path, ignored);
}

bool is_folder(const fs::path& path) {
    Witness::saw(path);
    std::error_code ignored;
    return fs::is_directory(path, ignored);
}

std::string real_path(const fs::path& path) {
    Witness::saw(path);
    std::error_code failed;
    fs::path real = fs::canonical(path, failed);
    return failed ? path.string() : real.string();
}

std::vector<FolderEntry> list_folder(const fs::path& folder) {
    Witness::saw(folder);
    std::vector<FolderEntry> entries;
    DIR* stream = ::opendir(folder.c_str());
    if (stream == nullptr) return entries;
    while (dirent* entry = ::readdir(stream)) {
        std::string_view name = entry->d_name;
        if (name == "." || name == "..") continue;
        bool is_folder = entry->d_type == DT_DIR;
        if (entry->d_type == DT_LNK || entry->d_type == DT_UNKNOWN) {
            struct stat status {};
            if (::fstatat(::dirfd(stream), entry->d_name, &status, 0) != 0) continue;
            is_folder = S_ISDIR(status.st_mode);
        }
        entries.push_back(
            {std::string(name), is_folder, entry->d_type == DT_LNK || entry->d_type == DT_UNKNOWN});
    }
    ::closedir(stream);
    std::ranges::sort(entries, {}, &FolderEntry::name);
    return entries;
}

void each_entry_below(const fs::path& folder, const std::function<void(const fs::directory_entry&)>& take) {
    std::error_code failed;
    for (auto entry =
             fs::recursive_directory_iterator(folder, fs::directory_options::skip_permission_denied, failed);
         !failed && entry != fs::recursive_directory_iterator(); entry.increment(failed))
        take(*entry);
}

namespace {

constexpr std::string_view staging_word = ".staging-";

/// Opens a staging folder and locks it as long as this process lives; -1 where another has it.
int locked_folder(const fs::path& path, bool waits) {
    int folder = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    struct stat status {};
    if (folder >= 0 && ::fstat(folder, &status) == 0 && status.st_uid == ::geteuid() &&
        ::flock(folder, waits ? LOCK_EX : LOCK_EX | LOCK_NB) == 0)
        return folder;
    if (folder >= 0) ::close(folder);
    return -1;
}

/// Builds that were killed leave theirs behind.
void remove_abandoned(const fs::path& parent) {
    std::error_code failed;
    for (const auto& entry : fs::directory_iterator(parent, failed)) {
        std::string name = entry.path().filename().string();
        if (!name.starts_with('.') || name.find(staging_word) == std::string::npos) continue;
        int folder = locked_folder(entry.path(), false);
        if (folder < 0) continue;
        fs::remove_all(entry.path(), failed);
        ::close(folder);
    }
}

} // namespace

Result<StagingFolder> StagingFolder::make(const fs::path& parent, const std::string& name) {
    remove_abandoned(parent);
    for (;;) {
        fs::path path = parent / fmt::format(".{}{}{}", name, staging_word, random_suffix());
        std::lock_guard lock(staging_mutex);
        if (::mkdir(path.c_str(), 0755) != 0)
            return fail(ErrorKind::unwritable, "can't write into the folder", parent, system_text(errno),
                        "choose another folder with --out, or change the permissions of this one");
        // Between the two another build may have taken it for an abandoned one. Where the file system knows
        // no locks it stays as it is.
        int folder = locked_folder(path, true);
        struct stat status {};
        if (::lstat(path.c_str(), &status) != 0) {
            if (folder >= 0) ::close(folder);
            continue;
        }
        staging_folders().emplace(path.string(), folder);
        return StagingFolder(path);
    }
}

StagingFolder::~StagingFolder() {
    if (path_.empty()) return;
    std::lock_guard lock(staging_mutex);
    std::error_code ignored;
    fs::remove_all(path_, ignored);
    auto entry = staging_folders().find(path_.string());
    if (entry == staging_folders().end()) return;
    if (entry->second >= 0) ::close(entry->second);
    staging_folders().erase(entry);
}

void remove_staging_folders() {
    std::lock_guard lock(staging_mutex);
    std::error_code ignored;
    // Other threads may still be adding files: a second pass takes what came in between.
    for (const auto& [folder, lock_of_it] : staging_folders())
        for (int pass = 0; pass < 100 && fs::exists(folder, ignored); ++pass) fs::remove_all(folder, ignored);
}

} // namespace omnistasis
