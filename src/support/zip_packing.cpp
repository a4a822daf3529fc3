#include "support/zip_packing.h"

#include "support/byte_view.h"
#include "support/byte_writer.h"
#include "support/first_failure.h"
#include "support/lib_zip.h"

#include <algorithm>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <oneapi/tbb/parallel_for.h>
#include <sys/stat.h>
#include <vector>
#include <zlib.h>

namespace omnistasis {

namespace {

constexpr zip_uint16_t first_day = 0x21; // 1 January 1980: times of the format are local ones
constexpr std::size_t kept_head = 12;    // of a kept member: checksum 4, size 8; what is compressed follows

/// A file, folder or link of the archive.
struct Member {
    fs::path place;
    unsigned mode = 0;  ///< with its kind, as stat(2) has it
    std::string kept;   ///< its content, behind the head
    std::size_t at = 0; ///< how much of it was read

    std::string_view content() const {
        return std::string_view(kept).substr(std::min(kept_head, kept.size()));
    }
    std::uint32_t checksum() const { return ByteView(as_bytes(kept)).word(0); }
    std::uint64_t size() const { return ByteView(as_bytes(kept)).quad(4); }
    bool is_compressed() const { return content().size() < size(); } ///< else it is there as it is
};

std::string with_head(std::string_view content, std::string_view stored) {
    std::string kept;
    put_little(kept, ::crc32_z(0, reinterpret_cast<const Bytef*>(content.data()), content.size()), 4);
    put_little(kept, content.size(), 8);
    return kept.append(stored);
}

/// As a raw deflate stream (RFC 1951) where that is smaller, else as it is; behind the head.
std::string compressed(std::string_view content) {
    z_stream stream{};
    constexpr int raw = -15, memory = 8;
    if (::deflateInit2(&stream, Z_DEFAULT_COMPRESSION, Z_DEFLATED, raw, memory, Z_DEFAULT_STRATEGY) != Z_OK)
        return with_head(content, content);
    std::string out(::deflateBound(&stream, content.size()), '\0');
    std::size_t read = 0, written = 0;
    constexpr std::size_t most = 1u << 30; // its counters have 32 bits
    for (int state = Z_OK; state == Z_OK;) {
        stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(content.data() + read));
        stream.avail_in = static_cast<uInt>(std::min(most, content.size() - read));
        stream.next_out = reinterpret_cast<Bytef*>(out.data() + written);
        stream.avail_out = static_cast<uInt>(std::min(most, out.size() - written));
        std::size_t given = stream.avail_in, room = stream.avail_out;
        state = ::deflate(&stream, read + given == content.size() ? Z_FINISH : Z_NO_FLUSH);
        read += given - stream.avail_in;
        written += room - stream.avail_out;
    }
    ::deflateEnd(&stream);
    out.resize(written);
    return with_head(content, out.size() < content.size() ? std::string_view(out) : content);
}

Result<void> read_file(const fs::path& file, Member& member, Store& store) {
    auto content = MappedFile::open(file);
    if (!content) return pass_on(content);
    std::string key = Store::key_of("stored zip member " + hex(sha256(content->bytes())));
    if (auto kept = store.find(key)) {
        member.kept = std::move(*kept);
    } else {
        member.kept = compressed(content->text());
        store.keep(key, member.kept);
    }
    return {};
}

/// libzip asks for the members as it writes them.
zip_int64_t give(void* user, void* data, zip_uint64_t size, zip_source_cmd_t command) {
    auto& member = *static_cast<Member*>(user);
    switch (command) {
    case ZIP_SOURCE_SUPPORTS:
        return ZIP_SOURCE_SUPPORTS_READABLE;
    case ZIP_SOURCE_STAT: {
        auto& said = *static_cast<zip_stat_t*>(data);
        std::memset(&said, 0, sizeof said);
        said.valid = ZIP_STAT_SIZE | ZIP_STAT_COMP_SIZE | ZIP_STAT_COMP_METHOD | ZIP_STAT_CRC;
        said.size = member.size();
        said.comp_size = member.content().size();
        said.comp_method = member.is_compressed() ? ZIP_CM_DEFLATE : ZIP_CM_STORE;
        said.crc = member.checksum();
        return sizeof said;
    }
    case ZIP_SOURCE_OPEN:
        member.at = 0;
        return 0;
    case ZIP_SOURCE_READ: {
        std::string_view part = member.content().substr(member.at, size);
        std::memcpy(data, part.data(), part.size());
        member.at += part.size();
        return static_cast<zip_int64_t>(part.size());
    }
    case ZIP_SOURCE_CLOSE:
        member.kept.resize(kept_head);
        member.kept.shrink_to_fit();
        return 0;
    case ZIP_SOURCE_ERROR:
        std::memset(data, 0, 2 * sizeof(int));
        return 2 * sizeof(int);
    default:
        return 0;
    }
}

} // namespace

Result<void> pack_zip(const fs::path& folder, const std::string& name, const fs::path& zip, Store& store) {
    auto loaded = LibZip::load();
    if (!loaded) return pass_on(loaded);
    const LibZip& library = **loaded;
    std::vector<fs::path> places{name};
    std::error_code failed;
    if (fs::is_directory(folder / name, failed))
        each_entry_below(folder / name, [&](const fs::directory_entry& entry) {
            places.push_back(entry.path().lexically_relative(folder));
        });
    std::ranges::sort(places);
    std::vector<Member> members(places.size());
    FirstFailure failures;
    oneapi::tbb::parallel_for(std::size_t(0), places.size(), [&](std::size_t i) {
        Member& member = members[i];
        member.place = places[i];
        fs::path file = folder / places[i];
        std::error_code ignored;
        struct stat status {};
        ::lstat(file.c_str(), &status);
        bool executable = S_ISDIR(status.st_mode) || (status.st_mode & S_IXUSR) != 0;
        member.mode = (status.st_mode & static_cast<unsigned>(S_IFMT)) | (executable ? 0755u : 0644u);
        if (S_ISLNK(status.st_mode)) {
            std::string to = fs::read_symlink(file, ignored).string();
            member.kept = with_head(to, to);
        } else if (S_ISREG(status.st_mode)) {
            if (auto done = read_file(file, member, store); !done) failures.note(i, done.error());
        }
    });
    if (auto read = failures.result(); !read) return read;

    int number = 0;
    zip_t* out = library.open(zip.c_str(), ZIP_CREATE | ZIP_EXCL, &number);
    auto wrong = [&](const std::string& why) {
        if (out != nullptr) library.discard(out);
        return fail(ErrorKind::unwritable, "can't write the archive", zip.string(), why);
    };
    if (out == nullptr) return wrong(fmt::format("error {} of libzip", number));
    for (Member& member : members) {
        bool is_folder = S_ISDIR(member.mode);
        zip_source_t* source = is_folder ? nullptr : library.source_function(out, give, &member);
        zip_int64_t index = is_folder ? library.dir_add(out, member.place.c_str(), ZIP_FL_ENC_UTF_8)
                                      : library.file_add(out, member.place.c_str(), source, ZIP_FL_ENC_UTF_8);
        if (index < 0) {
            std::string why = library.strerror(out);
            if (source != nullptr) library.source_free(source);
            return wrong(why);
        }
        auto entry = static_cast<zip_uint64_t>(index);
        library.set_file_compression(out, entry, member.is_compressed() ? ZIP_CM_DEFLATE : ZIP_CM_STORE, 0);
        library.file_set_dostime(out, entry, 0, first_day, 0);
        library.file_set_external_attributes(out, entry, 0, ZIP_OPSYS_UNIX, member.mode << 16);
    }
    if (library.close(out) != 0) return wrong(library.strerror(out));
    return {};
}

} // namespace omnistasis
