#include "support/archive.h"

#include "support/lib_archive.h"

#include <algorithm>
#include <clocale>
#include <deque>
#include <fmt/format.h>
#include <memory>
#include <optional>
#include <vector>

namespace omnistasis {

namespace {

using Reader = std::unique_ptr<archive, int (*)(archive*)>;

/// Names in archives are UTF-8, and libarchive passes on none that the locale can't show: while this lives,
/// the thread's can.
class NamesInUtf8 {
  public:
    NamesInUtf8()
        : own_(::newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr)),
          before_(own_ == nullptr ? nullptr : ::uselocale(own_)) {}
    NamesInUtf8(const NamesInUtf8&) = delete;
    NamesInUtf8& operator=(const NamesInUtf8&) = delete;
    ~NamesInUtf8() {
        if (own_ == nullptr) return;
        ::uselocale(before_);
        ::freelocale(own_);
    }

  private:
    locale_t own_, before_;
};

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

/// Whether `place`, relative to `folder`, leads to something in it, or to nothing, when each link on the way
/// is followed as the system would.
bool leads_inside(const fs::path& folder, const fs::path& place) {
    constexpr int most_links = 40; // the system's own bound
    std::deque<fs::path> rest(place.begin(), place.end());
    std::vector<fs::path> at;
    int links = 0;
    while (!rest.empty()) {
        fs::path part = std::move(rest.front());
        rest.pop_front();
        if (part.is_absolute()) return false;
        if (part == "." || part.empty()) continue;
        if (part == "..") {
            if (at.empty()) return false;
            at.pop_back();
            continue;
        }
        fs::path here = folder;
        for (const fs::path& one : at) here /= one;
        std::error_code no_link;
        fs::path to = fs::read_symlink(here / part, no_link);
        if (no_link) {
            at.push_back(std::move(part));
            continue;
        }
        if (++links > most_links) return false;
        rest.insert(rest.begin(), to.begin(), to.end());
    }
    return true;
}

/// Writes a zip file. Its entries have no time of their own, which readers take for the beginning of 1980:
/// the format's times are local ones, and the same files would give other bytes in another zone.
class ZipWriter {
  public:
    /// `compression` is the library's word for a method. `what` is named in errors.
    ZipWriter(const LibArchive& library, const char* compression, std::string what)
        : library_(library), out_(library.write_new(), library.write_free), what_(std::move(what)) {
        library_.write_set_format_zip(out_.get());
        library_.write_set_options(out_.get(), (std::string("zip:compression=") + compression).c_str());
    }

    /// `bytes` takes what is written.
    Result<void> open_memory(std::string& bytes) {
        auto take = [](archive*, void* into, const void* from, std::size_t size) {
            static_cast<std::string*>(into)->append(static_cast<const char*>(from), size);
            return static_cast<la_ssize_t>(size);
        };
        return checked(library_.write_open(out_.get(), &bytes, nullptr, take, nullptr));
    }

    /// What follows an entry's head with `write`, if it has a content.
    Result<void> begin(const std::string& name, unsigned type, unsigned mode, std::uint64_t size) {
        std::unique_ptr<archive_entry, void (*)(archive_entry*)> entry(library_.entry_new(),
                                                                       library_.entry_free);
        library_.entry_set_pathname(entry.get(), name.c_str());
        library_.entry_set_filetype(entry.get(), type);
        library_.entry_set_perm(entry.get(), mode);
        if (type == AE_IFREG) library_.entry_set_size(entry.get(), static_cast<la_int64_t>(size));
        return checked(library_.write_header(out_.get(), entry.get()));
    }

    Result<void> write(std::string_view bytes) {
        if (bytes.empty()) return {};
        auto written = library_.write_data(out_.get(), bytes.data(), bytes.size());
        return checked(written == static_cast<la_ssize_t>(bytes.size()) ? ARCHIVE_OK : ARCHIVE_FATAL);
    }

    Result<void> finish() { return checked(library_.write_close(out_.get())); }

  private:
    Result<void> checked(int outcome) {
        if (outcome == ARCHIVE_OK) return {};
        const char* why = library_.error_string(out_.get());
        return fail(ErrorKind::unwritable, "can't write the archive", what_, why != nullptr ? why : "");
    }

    const LibArchive& library_;
    Reader out_;
    std::string what_;
};

} // namespace

Result<std::string> zip_with_members(const fs::path& file, const std::vector<std::string>& members) {
    auto loaded = LibArchive::load();
    if (!loaded) return pass_on(loaded);
    const LibArchive& library = **loaded;
    NamesInUtf8 names;
    Reader in(library.read_new(), library.read_free);
    library.read_support_format_zip(in.get());
    auto broken = [&] {
        const char* why = library.error_string(in.get());
        return fail(ErrorKind::bad_input, "the archive can't be read", file.string(),
                    why != nullptr ? why : "", "get it anew");
    };
    if (!is_file(file))
        return fail(ErrorKind::bad_input, "the archive can't be read", file, "it is not a file");
    if (library.read_open_filename(in.get(), file.c_str(), 1u << 16) != ARCHIVE_OK) return broken();
    std::string bytes;
    ZipWriter out(library, "store", file.string());
    if (auto opened = out.open_memory(bytes); !opened) return pass_on(opened);
    std::vector<bool> is_there(members.size());
    archive_entry* entry = nullptr;
    for (int state; (state = library.read_next_header(in.get(), &entry)) != ARCHIVE_EOF;) {
        if (state < ARCHIVE_WARN) return broken();
        const char* found = library.entry_pathname(entry);
        std::string name = found != nullptr ? found : "";
        auto place = std::ranges::lower_bound(members, name);
        if (place == members.end() || *place != name) continue;
        auto number = static_cast<std::size_t>(place - members.begin());
        if (is_there[number]) continue; // a second one of that name: readers take one of them
        is_there[number] = true;
        std::string content;
        const void* block = nullptr;
        std::size_t size = 0;
        la_int64_t offset = 0;
        int more = ARCHIVE_OK;
        while ((more = library.read_data_block(in.get(), &block, &size, &offset)) == ARCHIVE_OK) {
            content.append(static_cast<const char*>(block), size); // this format has no holes
        }
        if (more != ARCHIVE_EOF) return broken();
        bool is_folder = library.entry_filetype(entry) == AE_IFDIR;
        unsigned mode = is_folder || (library.entry_perm(entry) & 0111) != 0 ? 0755 : 0644;
        auto done = out.begin(name, is_folder ? AE_IFDIR : AE_IFREG, mode, content.size());
        if (done) done = out.write(content);
        if (!done) return pass_on(done);
    }
    for (std::size_t i = 0; i < members.size(); ++i)
        if (!is_there[i])
            return fail(ErrorKind::bad_input, "the archive lacks a member that is needed", file.string(),
                        fmt::format("it does not hold `{}`", members[i]));
    if (auto done = out.finish(); !done) return pass_on(done);
    return bytes;
}

Result<void> unpack_archive(const fs::path& file, const fs::path& folder, std::uint64_t most) {
    auto loaded = LibArchive::load();
    if (!loaded) return pass_on(loaded);
    const LibArchive& library = **loaded;
    NamesInUtf8 names;
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
    auto too_large = [&] {
        return fail(ErrorKind::bad_input, "the archive is too large", file.string(),
                    fmt::format("it holds more than {} bytes", most),
                    "name the folder of the runtime itself");
    };
    // A pipe would make us wait for somebody to write into it.
    if (!is_file(file))
        return fail(ErrorKind::bad_input, "the archive can't be unpacked", file, "it is not a file");
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
            if (!stays_inside(link) || !leads_inside(folder, link))
                return climbs(fmt::format("{} -> {}", name, link));
            library.entry_set_hardlink(entry, (folder / link).c_str());
        }
        auto type = library.entry_filetype(entry);
        if (type != AE_IFREG && type != AE_IFDIR && type != AE_IFLNK &&
            library.entry_hardlink(entry) == nullptr)
            continue;
        library.entry_set_perm(entry,
                               (library.entry_perm(entry) & 0111) != 0 || type == AE_IFDIR ? 0755 : 0644);
        library.entry_set_pathname(entry, (folder / name).c_str());
        if (type == AE_IFREG && static_cast<std::uint64_t>(library.entry_size(entry)) > most - total)
            return too_large();
        if (library.write_header(out.get(), entry) < ARCHIVE_WARN) return broken(out.get());
        const void* bytes = nullptr;
        std::size_t size = 0;
        la_int64_t offset = 0;
        std::uint64_t end = 0; // of this file, holes counted: they are read as zeros later
        int more = ARCHIVE_OK;
        while ((more = library.read_data_block(in.get(), &bytes, &size, &offset)) == ARCHIVE_OK) {
            end = std::max(end, static_cast<std::uint64_t>(offset) + size);
            if (end > most - total) return too_large();
            if (library.write_data_block(out.get(), bytes, size, offset) < ARCHIVE_WARN)
                return broken(out.get());
        }
        if (more != ARCHIVE_EOF) return broken(in.get());
        total += end;
        if (library.write_finish_entry(out.get()) < ARCHIVE_WARN) return broken(out.get());
    }
    if (library.write_close(out.get()) != ARCHIVE_OK) return broken(out.get());
    // What a link leads to can change with each one that comes after it.
    std::optional<fs::path> out_of_it;
    each_entry_below(folder, [&](const fs::directory_entry& one) {
        if (one.is_symlink() && !leads_inside(folder, one.path().lexically_relative(folder)))
            out_of_it = one.path().lexically_relative(folder);
    });
    if (out_of_it) return climbs(fmt::format("{}, a link", out_of_it->string()));
    return {};
}

} // namespace omnistasis
