#include "support/archive.h"

#include <archive.h>
#include <archive_entry.h>
#include <fmt/format.h>
#include <memory>

namespace omnistasis {

namespace {

using Reader = std::unique_ptr<archive, int (*)(archive*)>;

/// Whether a path stays in the folder that it is relative to.
bool stays_inside(const fs::path& path) {
    if (path.is_absolute()) return false;
    int depth = 0;
    for (const fs::path& part : path) {
        if (part == "..") --depth;
        else if (part != "." && !part.empty()) ++depth;
        if (depth < 0) return false;
    }
    return true;
}

} // namespace

Result<void> unpack_archive(const fs::path& file, const fs::path& folder, std::uint64_t most) {
    Reader in(archive_read_new(), archive_read_free);
    archive_read_support_format_tar(in.get());
    archive_read_support_format_zip(in.get());
    archive_read_support_filter_all(in.get());
    Reader out(archive_write_disk_new(), archive_write_free);
    archive_write_disk_set_options(out.get(), ARCHIVE_EXTRACT_PERM | ARCHIVE_EXTRACT_SECURE_SYMLINKS |
                                                  ARCHIVE_EXTRACT_SECURE_NODOTDOT | ARCHIVE_EXTRACT_UNLINK);
    auto broken = [&](archive* from) {
        const char* why = archive_error_string(from);
        return fail(ErrorKind::bad_input, "the archive can't be unpacked", file.string(), why != nullptr ? why : "",
                    "get it anew, or unpack it by hand and name the folder");
    };
    auto climbs = [&](const std::string& path) {
        return fail(ErrorKind::bad_input, "the archive would write outside of its folder", file.string(),
                    fmt::format("it holds `{}`", path), "get it from where it can be trusted");
    };
    if (archive_read_open_filename(in.get(), file.c_str(), 1u << 16) != ARCHIVE_OK) return broken(in.get());
    std::uint64_t total = 0;
    archive_entry* entry = nullptr;
    for (int state; (state = archive_read_next_header(in.get(), &entry)) != ARCHIVE_EOF;) {
        if (state < ARCHIVE_WARN) return broken(in.get());
        const char* name = archive_entry_pathname(entry);
        if (name == nullptr || *name == 0) continue;
        if (fs::path(name).is_absolute() || !stays_inside(name)) return climbs(name);
        if (const char* link = archive_entry_symlink(entry); link != nullptr)
            if (fs::path(link).is_absolute() || !stays_inside(fs::path(name).parent_path() / link))
                return climbs(fmt::format("{} -> {}", name, link));
        if (const char* link = archive_entry_hardlink(entry); link != nullptr) {
            if (!stays_inside(link)) return climbs(fmt::format("{} -> {}", name, link));
            archive_entry_set_hardlink(entry, (folder / link).c_str());
        }
        auto type = archive_entry_filetype(entry);
        if (type != AE_IFREG && type != AE_IFDIR && type != AE_IFLNK && archive_entry_hardlink(entry) == nullptr) continue;
        archive_entry_set_perm(entry, (archive_entry_perm(entry) & 0111) != 0 || type == AE_IFDIR ? 0755 : 0644);
        archive_entry_set_pathname(entry, (folder / name).c_str());
        if (archive_write_header(out.get(), entry) < ARCHIVE_WARN) return broken(out.get());
        const void* bytes = nullptr;
        std::size_t size = 0;
        la_int64_t offset = 0;
        int more = ARCHIVE_OK;
        while ((more = archive_read_data_block(in.get(), &bytes, &size, &offset)) == ARCHIVE_OK) {
            total += size;
            if (total > most)
                return fail(ErrorKind::bad_input, "the archive is too large", file.string(),
                            fmt::format("it holds more than {} bytes", most), "name the folder of the runtime itself");
            if (archive_write_data_block(out.get(), bytes, size, offset) < ARCHIVE_WARN) return broken(out.get());
        }
        if (more != ARCHIVE_EOF) return broken(in.get());
        if (archive_write_finish_entry(out.get()) < ARCHIVE_WARN) return broken(out.get());
    }
    if (archive_write_close(out.get()) != ARCHIVE_OK) return broken(out.get());
    return {};
}

} // namespace omnistasis
