#include "runtimes/python/zipped_packages.h"

#include "support/files.h"
#include "support/hash.h"
#include "support/user_cache.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <memory>
#include <sys/stat.h>

namespace omnistasis::python {

namespace {

/// The archive that a search path entry is, or is inside of; empty where it is none.
fs::path archive_of(const fs::path& entry) {
    fs::path file = entry;
    while (!is_there(file) && file.has_relative_path()) file = file.parent_path();
    if (!is_file(file)) return {};
    auto content = MappedFile::open(file);
    return content && content->text().starts_with("PK") ? file : fs::path();
}

tl::unexpected<Error> unreadable(const fs::path& file, archive* source) {
    const char* text = archive_error_string(source);
    return fail(ErrorKind::bad_input, "can't unpack a zipped package", file.string(), text ? text : "",
                "install the package as a folder");
}

Result<void> unpack(const fs::path& file, const fs::path& folder) {
    std::unique_ptr<archive, int (*)(archive*)> in(archive_read_new(), archive_read_free);
    std::unique_ptr<archive, int (*)(archive*)> out(archive_write_disk_new(), archive_write_free);
    archive_read_support_format_zip(in.get());
    // No absolute paths: ours is put in front of each name, after this has refused `..`.
    archive_write_disk_set_options(out.get(),
                                   ARCHIVE_EXTRACT_SECURE_SYMLINKS | ARCHIVE_EXTRACT_SECURE_NODOTDOT);
    if (archive_read_open_filename(in.get(), file.c_str(), 1u << 16) != ARCHIVE_OK)
        return unreadable(file, in.get());
    archive_entry* entry = nullptr;
    for (int state; (state = archive_read_next_header(in.get(), &entry)) != ARCHIVE_EOF;) {
        if (state < ARCHIVE_WARN) return unreadable(file, in.get());
        const char* name = archive_entry_pathname(entry);
        if (name == nullptr ||
            (archive_entry_filetype(entry) != AE_IFREG && archive_entry_filetype(entry) != AE_IFDIR))
            continue;
        archive_entry_set_pathname(entry, (folder / fs::path(name).relative_path()).c_str());
        archive_entry_set_perm(entry, archive_entry_filetype(entry) == AE_IFDIR ? 0700 : 0600);
        if (archive_write_header(out.get(), entry) < ARCHIVE_WARN) return unreadable(file, out.get());
        const void* bytes = nullptr;
        std::size_t size = 0;
        la_int64_t offset = 0;
        int more;
        while ((more = archive_read_data_block(in.get(), &bytes, &size, &offset)) == ARCHIVE_OK)
            if (archive_write_data_block(out.get(), bytes, size, offset) < ARCHIVE_WARN)
                return unreadable(file, out.get());
        if (more != ARCHIVE_EOF) return unreadable(file, in.get());
    }
    return {};
}

} // namespace

Result<void> unpack_zipped_packages(std::vector<std::string>& search_path) {
    for (std::string& entry : search_path) {
        fs::path file = archive_of(entry);
        if (file.empty()) continue;
        fs::path cache = user_cache_folder("unzipped");
        if (cache.empty())
            return fail(ErrorKind::missing, "there is nowhere to unpack a zipped package", file.string(),
                        "the user has no cache folder that can be written", "set XDG_CACHE_HOME to a folder");
        struct stat status {};
        if (::stat(file.c_str(), &status) != 0) continue;
        std::string state = fmt::format("{}\n{}.{} {}", file.string(), status.st_mtim.tv_sec,
                                        status.st_mtim.tv_nsec, status.st_size);
        fs::path folder = cache / hex(sha256(state)).substr(0, 32);
        std::error_code failed;
        if (!is_there(folder)) {
            auto staging = StagingFolder::make(cache, "unzipped");
            if (!staging) return tl::make_unexpected(staging.error());
            if (auto done = unpack(file, staging->path() / "content"); !done) return done;
            fs::create_directories(staging->path() / "content", failed);
            fs::rename(staging->path() / "content", folder, failed);
            // Another process may have put the same there meanwhile.
            if (failed && !is_there(folder))
                return fail(ErrorKind::missing, "can't unpack a zipped package", folder.string(),
                            failed.message());
        }
        fs::path inner = fs::path(entry).lexically_relative(file);
        entry = (inner == "." ? folder : folder / inner).string();
    }
    return {};
}

} // namespace omnistasis::python
