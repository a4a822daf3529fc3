#include "support/archive.h"

#include "support/lib_archive.h"

#include <algorithm>
#include <cstdlib>
#include <ctime>
#include <fmt/format.h>
#include <memory>
#include <vector>

namespace omnistasis {

namespace {

using Reader = std::unique_ptr<archive, int (*)(archive*)>;

/// Whether a path stays in the folder that it is relative to.
bool stays_inside(const fs::path& path) {
    if (path.is_absolute()) return false;
    int depth = 0;
    for (const fs::path& part : path) {
        if (part == "..")
            --depth;
        else if (part != "." && !part.empty())
            ++depth;
        if (depth < 0) return false;
    }
    return true;
}

std::time_t entry_time() {
    constexpr std::time_t zip_begins = 315532800; // 1980-01-01, the first day that the format knows
    const char* epoch = std::getenv("SOURCE_DATE_EPOCH");
    return epoch != nullptr ? std::max<std::time_t>(zip_begins, std::atoll(epoch)) : zip_begins;
}

} // namespace

Result<void> pack_zip(const fs::path& folder, const std::string& name, const fs::path& zip) {
    auto loaded = LibArchive::load();
    if (!loaded) return pass_on(loaded);
    const LibArchive& library = **loaded;
    std::vector<fs::path> places{name};
    std::error_code failed;
    if (fs::is_directory(folder / name, failed))
        each_entry_below(folder / name, [&](const fs::directory_entry& entry) {
            places.push_back(entry.path().lexically_relative(folder));
        });
    std::ranges::sort(places);
    Reader out(library.write_new(), library.write_free);
    library.write_set_format_zip(out.get());
    // Times of day in a zip are local ones.
    library.write_set_options(out.get(), "zip:compression=deflate");
    auto cannot = [&] {
        const char* why = library.error_string(out.get());
        return fail(ErrorKind::unwritable, "can't write the archive", zip.string(),
                    why != nullptr ? why : "");
    };
    if (library.write_open_filename(out.get(), zip.c_str()) != ARCHIVE_OK) return cannot();
    for (const fs::path& place : places) {
        fs::path file = folder / place;
        std::unique_ptr<archive_entry, void (*)(archive_entry*)> entry(library.entry_new(),
                                                                       library.entry_free);
        bool is_link = fs::is_symlink(file, failed), is_folder = !is_link && fs::is_directory(file, failed);
        library.entry_set_pathname(entry.get(), (place.string() + (is_folder ? "/" : "")).c_str());
        library.entry_set_mtime(entry.get(), entry_time(), 0);
        library.entry_set_filetype(entry.get(), is_link ? AE_IFLNK : is_folder ? AE_IFDIR : AE_IFREG);
        bool executable =
            is_folder || (fs::status(file, failed).permissions() & fs::perms::owner_exec) != fs::perms::none;
        library.entry_set_perm(entry.get(), executable ? 0755 : 0644);
        if (is_link) library.entry_set_symlink(entry.get(), fs::read_symlink(file, failed).c_str());
        if (is_link || is_folder) {
            if (library.write_header(out.get(), entry.get()) != ARCHIVE_OK) return cannot();
            continue;
        }
        auto content = MappedFile::open(file);
        if (!content) return pass_on(content);
        library.entry_set_size(entry.get(), static_cast<la_int64_t>(content->bytes().size()));
        if (library.write_header(out.get(), entry.get()) != ARCHIVE_OK) return cannot();
        std::size_t size = content->bytes().size();
        if (size > 0 &&
            library.write_data(out.get(), content->bytes().data(), size) != static_cast<la_ssize_t>(size))
            return cannot();
    }
    return library.write_close(out.get()) == ARCHIVE_OK ? Result<void>() : cannot();
}

Result<void> unpack_archive(const fs::path& file, const fs::path& folder, std::uint64_t most) {
    auto loaded = LibArchive::load();
    if (!loaded) return pass_on(loaded);
    const LibArchive& library = **loaded;
    Reader in(library.read_new(), library.read_free);
    library.read_support_format_tar(in.get());
    library.read_support_format_zip(in.get());
    library.read_support_filter_all(in.get());
    Reader out(library.write_disk_new(), library.write_free);
    library.write_disk_set_options(out.get(), ARCHIVE_EXTRACT_PERM | ARCHIVE_EXTRACT_SECURE_SYMLINKS |
                                                  ARCHIVE_EXTRACT_SECURE_NODOTDOT | ARCHIVE_EXTRACT_UNLINK);
    auto broken = [&](archive* from) {
        const char* why = library.error_string(from);
        return fail(ErrorKind::bad_input, "the archive can't be unpacked", file.string(),
                    why != nullptr ? why : "", "get it anew, or unpack it by hand and name the folder");
    };
    auto climbs = [&](const std::string& path) {
        return fail(ErrorKind::bad_input, "the archive would write outside of its folder", file.string(),
                    fmt::format("it holds `{}`", path), "get it from where it can be trusted");
    };
    if (library.read_open_filename(in.get(), file.c_str(), 1u << 16) != ARCHIVE_OK) return broken(in.get());
    std::uint64_t total = 0;
    archive_entry* entry = nullptr;
    for (int state; (state = library.read_next_header(in.get(), &entry)) != ARCHIVE_EOF;) {
        if (state < ARCHIVE_WARN) return broken(in.get());
        const char* name = library.entry_pathname(entry);
        if (name == nullptr || *name == 0) continue;
        if (fs::path(name).is_absolute() || !stays_inside(name)) return climbs(name);
        if (const char* link = library.entry_symlink(entry); link != nullptr)
            if (fs::path(link).is_absolute() || !stays_inside(fs::path(name).parent_path() / link))
                return climbs(fmt::format("{} -> {}", name, link));
        if (const char* link = library.entry_hardlink(entry); link != nullptr) {
            if (!stays_inside(link)) return climbs(fmt::format("{} -> {}", name, link));
            library.entry_set_hardlink(entry, (folder / link).c_str());
        }
        auto type = library.entry_filetype(entry);
        if (type != AE_IFREG && type != AE_IFDIR && type != AE_IFLNK &&
            library.entry_hardlink(entry) == nullptr)
            continue;
        library.entry_set_perm(entry,
                               (library.entry_perm(entry) & 0111) != 0 || type == AE_IFDIR ? 0755 : 0644);
        library.entry_set_pathname(entry, (folder / name).c_str());
        if (library.write_header(out.get(), entry) < ARCHIVE_WARN) return broken(out.get());
        const void* bytes = nullptr;
        std::size_t size = 0;
        la_int64_t offset = 0;
        int more = ARCHIVE_OK;
        while ((more = library.read_data_block(in.get(), &bytes, &size, &offset)) == ARCHIVE_OK) {
            total += size;
            if (total > most)
                return fail(ErrorKind::bad_input, "the archive is too large", file.string(),
                            fmt::format("it holds more than {} bytes", most),
                            "name the folder of the runtime itself");
            if (library.write_data_block(out.get(), bytes, size, offset) < ARCHIVE_WARN)
                return broken(out.get());
        }
        if (more != ARCHIVE_EOF) return broken(in.get());
        if (library.write_finish_entry(out.get()) < ARCHIVE_WARN) return broken(out.get());
    }
    if (library.write_close(out.get()) != ARCHIVE_OK) return broken(out.get());
    return {};
}

} // namespace omnistasis
