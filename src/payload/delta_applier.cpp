#include "payload/delta_file.h"
#include "support/hash.h"

#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <functional>
#include <future>
#include <map>
#include <memory>
#include <set>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace omnistasis::payload {

namespace {

constexpr unsigned exchange_flag = 2; // RENAME_EXCHANGE of renameat2(2)

bool fits(const Piece& piece, ByteSpan content) {
    return (piece.from_base ? damage_check(content) : hex(sha256(content))) == piece.hash;
}

/// The base's file, opened once: what is checked and what is copied is the same file, whoever puts another in
/// its place meanwhile.
class OpenFile {
  public:
    explicit OpenFile(const fs::path& file)
        : descriptor_(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)) {
        struct stat status {};
        if (descriptor_ < 0 || ::fstat(descriptor_, &status) != 0 || !S_ISREG(status.st_mode)) return;
        auto size = static_cast<std::size_t>(status.st_size);
        void* mapped = size == 0 ? MAP_FAILED : ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor_, 0);
        if (mapped != MAP_FAILED) bytes_ = {static_cast<const std::uint8_t*>(mapped), size};
    }
    ~OpenFile() {
        if (!bytes_.empty()) ::munmap(const_cast<std::uint8_t*>(bytes_.data()), bytes_.size());
        if (descriptor_ >= 0) ::close(descriptor_);
    }
    OpenFile(const OpenFile&) = delete;
    OpenFile& operator=(const OpenFile&) = delete;

    int descriptor() const { return descriptor_; } ///< -1 where there is none
    ByteSpan bytes() const { return bytes_; }

  private:
    int descriptor_;
    ByteSpan bytes_;
};

bool stays_inside(const std::string& place) {
    return is_safe_path({reinterpret_cast<const std::uint8_t*>(place.data()), place.size()});
}

/// Removes those of the files and links below a folder that `goes` says.
void remove_below(const fs::path& folder, const std::function<bool(const fs::directory_entry&)>& goes) {
    std::vector<fs::path> gone;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        if (goes(entry)) gone.push_back(entry.path());
    });
    std::error_code ignored;
    for (const fs::path& one : gone) fs::remove(one, ignored);
}

/// A file that is being written; what an earlier, interrupted run wrote of it is taken over as far as it is
/// right.
class PartFile {
  public:
    ~PartFile() {
        if (descriptor_ >= 0) ::close(descriptor_);
    }

    /// Fails where another process has it.
    bool open(const fs::path& file) {
        // What an earlier run linked to the base's data must not be written.
        struct stat status {};
        if (::lstat(file.c_str(), &status) == 0 && status.st_nlink > 1) ::unlink(file.c_str());
        descriptor_ = ::open(file.c_str(), O_RDWR | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
        return descriptor_ >= 0 && ::flock(descriptor_, LOCK_EX | LOCK_NB) == 0;
    }

    bool has(const Piece& piece, std::uint64_t at) const {
        std::string there(piece.size, '\0');
        return ::pread(descriptor_, there.data(), there.size(), static_cast<off_t>(at)) ==
                   static_cast<ssize_t>(there.size()) &&
               fits(piece, as_bytes(there));
    }

    bool write(ByteSpan bytes, std::uint64_t at) {
        while (!bytes.empty()) {
            ssize_t count = ::pwrite(descriptor_, bytes.data(), bytes.size(), static_cast<off_t>(at));
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return false;
            bytes = bytes.subspan(static_cast<std::size_t>(count));
            at += static_cast<std::uint64_t>(count);
        }
        return true;
    }

    /// From another file, without a way through memory where the system can do that.
    bool copy(int from, ByteSpan mapped, std::uint64_t offset, std::uint64_t size, std::uint64_t at) {
        auto in = static_cast<off_t>(offset), out = static_cast<off_t>(at);
        std::uint64_t left = size;
        while (left > 0) {
            ssize_t count = ::copy_file_range(from, &in, descriptor_, &out, left, 0);
            if (count <= 0) break;
            left -= static_cast<std::uint64_t>(count);
        }
        return left == 0 || write(mapped.subspan(offset + size - left, left), at + size - left);
    }

    bool finish(std::uint64_t size, unsigned mode) {
        return ::ftruncate(descriptor_, static_cast<off_t>(size)) == 0 && ::fchmod(descriptor_, mode) == 0;
    }
    std::uint64_t size() const {
        struct stat status {};
        return ::fstat(descriptor_, &status) == 0 ? static_cast<std::uint64_t>(status.st_size) : 0;
    }
    bool sync() { return ::fsync(descriptor_) == 0; }

  private:
    int descriptor_ = -1;
};

class Applier {
  public:
    Applier(const PayloadContents& base, const fs::path& delta, const DeltaFile& file)
        : base_(base), delta_(delta), data_(file.data), summary_(file.summary), files_(file.files) {}

    Result<Applied> apply(const fs::path& to) {
        bool folder = summary_.form == "folder";
        fs::path place = folder ? base_.file().parent_path() : base_.file();
        Applied applied{summary_, false, to.empty() ? place : to};
        place = applied.output;
        replaces_ = to.empty();
        part_ = place.parent_path() / ("." + place.filename().string() + ".delta-part");
        std::error_code ignored;
        if (base_.identity() == summary_.result_id && to.empty()) {
            // What a run left that was stopped after the exchange.
            fs::remove_all(part_, ignored);
            applied.was_there = true;
            return applied;
        }
        if (base_.identity() != summary_.base_id || base_.is_folder() != folder)
            return fail(ErrorKind::bad_input, "the delta is for another output", base_.file().string(),
                        fmt::format("it leads from {} {} ({}) to {} {}; this is {} {} ({})",
                                    summary_.base_name, summary_.base_version, summary_.base_id.substr(0, 12),
                                    summary_.result_name, summary_.result_version, base_.description().name,
                                    base_.description().version, base_.identity().substr(0, 12)),
                        "apply it to the output that it was made for, or get the whole new one");
        if (!to.empty() && fs::exists(fs::symlink_status(to)))
            return fail(ErrorKind::bad_input, "something is in the way of the new output", to.string(),
                        "nothing is overwritten", "name another place with --out");
        auto done = folder ? apply_folder(place, !to.empty()) : apply_single(place);
        if (done) return applied;
        if (is_ours_) fs::remove_all(part_, ignored);
        // What is wrong with the base shows in the result; say that, and not that the delta is bad.
        if (auto right = base_.verify(); !right) return pass_on(right);
        return pass_on(done);
    }

  private:
    tl::unexpected<Error> cant_write(const fs::path& file) const {
        if (errno == EWOULDBLOCK)
            return fail(ErrorKind::missing, "the output is being changed by somebody else", file.string(), "",
                        "wait until that is done");
        return fail(ErrorKind::unwritable, "can't write the new output", file.string(), system_text(errno),
                    "make room on the disk, or name another place with --out");
    }

    /// Writes one file from its pieces; `before` is the base's file.
    Result<void> write_file(PartFile& part, const fs::path& name, const ChangedFile& file,
                            const fs::path& before_name) {
        OpenFile base(before_name);
        ByteSpan before = base.bytes();
        std::uint64_t at = 0, there = part.size();
        for (const Piece& piece : file.pieces) {
            bool inside = piece.from_base
                              ? piece.offset <= before.size() && piece.size <= before.size() - piece.offset
                              : piece.offset <= data_.size() && piece.stored <= data_.size() - piece.offset;
            if (!inside) return damaged_delta(delta_, "it is cut off or damaged");
            bool is_done = at + piece.size <= there && part.has(piece, at);
            if (!is_done && piece.from_base) {
                // Checked while it is copied: nothing is put in its place before both are done.
                auto is_right = std::async(std::launch::async, [&] {
                    return fits(piece, before.subspan(piece.offset, piece.size));
                });
                bool copied = part.copy(base.descriptor(), before, piece.offset, piece.size, at);
                if (!is_right.get())
                    return damaged_delta(delta_, "what it takes from the output is not there");
                if (!copied) return cant_write(name);
            } else if (!is_done) {
                ByteSpan stored = data_.subspan(piece.offset, piece.stored);
                std::string raw;
                if (piece.packed != "none") {
                    if (piece.size > largest_piece) return damaged_delta(delta_, "a piece is too large");
                    ByteSpan known = piece.packed == "zstd-base" ? before : ByteSpan();
                    if (!unpack_piece(stored, known, piece.size, raw))
                        return damaged_delta(delta_, "a piece can't be unpacked");
                    stored = as_bytes(raw);
                }
                if (!fits(piece, stored)) return damaged_delta(delta_, "a piece does not fit its hash");
                if (!part.write(stored, at)) return cant_write(name);
            }
            at += piece.size;
        }
        // The delta says whether it is a program, and nothing else of who may do what.
        if (!part.finish(at, (file.mode & 0111) != 0 ? 0755 : 0644)) return cant_write(name);
        return {};
    }

    /// What was made is read as an output.
    Result<PayloadContents> check_result(const fs::path& file) const {
        auto made = PayloadContents::open(file);
        if (made && made->identity() != summary_.result_id)
            return damaged_delta(delta_, "it does not lead to the output that it promises");
        if (made && !base_.public_key().empty() && made->public_key() != base_.public_key())
            return fail(ErrorKind::bad_input, "the delta is not its publisher's", delta_.string(),
                        made->public_key().empty() ? "the output is signed, and what it leads to is not"
                                                   : "what it leads to is signed with another key",
                        "get the delta from where the application's publisher offers it");
        return made;
    }

    Result<void> apply_single(const fs::path& place) {
        PartFile part;
        if (!part.open(part_)) return cant_write(part_);
        is_ours_ = true;
        if (files_.size() != 1) return damaged_delta(delta_, "it does not have one file");
        auto written = write_file(part, part_, files_[0], base_.file());
        // Each of its pieces was checked when it was taken.
        if (written)
            if (auto made = check_result(part_); !made) written = pass_on(made);
        // What takes the old one's place must be on the disk; beside it, the old one is still there.
        if (written && replaces_ && !part.sync()) written = cant_write(part_);
        if (written && ::rename(part_.c_str(), place.c_str()) != 0) written = cant_write(place);
        return written;
    }

    /// All that is taken from the base is checked in the result, which takes its place only then.
    Result<void> apply_folder(const fs::path& place, bool is_new_place) {
        std::error_code failed;
        fs::create_directories(part_, failed);
        int folder = ::open(part_.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
        std::unique_ptr<int, void (*)(int*)> closing(&folder, [](int* one) {
            if (*one >= 0) ::close(*one);
        });
        if (folder < 0 || ::flock(folder, LOCK_EX | LOCK_NB) != 0) return cant_write(part_);
        is_ours_ = true;
        // Links that an earlier run took over would lead what is written now out of the folder.
        remove_below(part_, [](const fs::directory_entry& entry) { return entry.is_symlink(); });
        fs::path executable;
        for (const ChangedFile& file : files_) {
            if (!stays_inside(file.path)) return damaged_delta(delta_, "a path leads out of the output");
            bool first = executable.empty();
            if (first) executable = part_ / file.path;
            fs::path before_name = first ? base_.file() : base_.file().parent_path() / file.path;
            fs::create_directories((part_ / file.path).parent_path(), failed);
            PartFile part;
            if (!part.open(part_ / file.path)) return cant_write(part_ / file.path);
            if (auto written = write_file(part, part_ / file.path, file, before_name); !written)
                return written;
        }
        if (executable.empty()) return damaged_delta(delta_, "it has no executable");
        if (auto linked = take_unchanged(executable); !linked) return linked;
        auto made = check_result(executable);
        if (!made) return pass_on(made);
        if (auto right = made->verify(); !right) return right;
        if (replaces_) ::syncfs(folder);
        if (is_new_place) {
            if (::rename(part_.c_str(), place.c_str()) != 0) return cant_write(place);
            return {};
        }
        if (::syscall(SYS_renameat2, AT_FDCWD, part_.c_str(), AT_FDCWD, place.c_str(), exchange_flag) != 0)
            return cant_write(place);
        fs::remove_all(part_, failed);
        return {};
    }

    /// Files with a content that the base has: links to its data, or copies where the disk has no links.
    Result<void> take_unchanged(const fs::path& executable) {
        auto made = PayloadContents::open(executable);
        if (!made) return pass_on(made);
        std::map<std::string, std::string> by_hash;
        for (const StoredFile& file : base_.files()) by_hash.emplace(file.hash, file.place);
        fs::path old_folder = base_.file().parent_path();
        for (const std::string& inner : {base_.description().tree_folder, made->description().tree_folder})
            if (!stays_inside(inner)) return damaged_delta(delta_, "a path leads out of the output");
        fs::path old_tree = old_folder / base_.description().tree_folder;
        fs::path tree = part_ / made->description().tree_folder;
        std::set<std::string> ours;
        for (const ChangedFile& file : files_) ours.insert(file.path);
        std::error_code failed;
        for (const StoredFile& file : made->files()) {
            fs::path to = tree / file.place;
            ours.insert(made->description().tree_folder + "/" + file.place);
            auto content = MappedFile::open(to);
            if (content && hex(sha256(content->bytes())) == file.hash) continue;
            auto known = by_hash.find(file.hash);
            if (known == by_hash.end()) return damaged_delta(delta_, "a file's content is missing");
            if (auto taken = take(old_tree / known->second, to, file.mode); !taken) return taken;
        }
        // What others put into the folder, and the links to the state, stays.
        std::set<std::string> of_base{base_.file().filename().string()};
        for (const StoredFile& file : base_.files())
            of_base.insert(base_.description().tree_folder + "/" + file.place);
        // What an earlier run wrote for another delta goes.
        remove_below(part_, [&](const fs::directory_entry& entry) {
            return !entry.is_directory(failed) &&
                   !ours.contains(relative_to(entry.path().string(), part_.string()));
        });
        Result<void> done;
        each_entry_below(old_folder, [&](const fs::directory_entry& entry) {
            std::string inner = relative_to(entry.path().string(), old_folder.string());
            if (!done || inner.empty() || of_base.contains(inner) || ours.contains(inner)) return;
            if (entry.is_symlink(failed)) {
                fs::create_directories((part_ / inner).parent_path(), failed);
                fs::copy_symlink(entry.path(), part_ / inner, failed);
            } else if (entry.is_regular_file(failed)) {
                done = take(entry.path(), part_ / inner, 0);
            } else if (entry.is_directory(failed)) {
                fs::create_directories(part_ / inner, failed);
            }
        });
        return done;
    }

    Result<void> take(const fs::path& from, const fs::path& to, unsigned mode) {
        std::error_code failed;
        fs::create_directories(to.parent_path(), failed);
        fs::remove(to, failed);
        struct stat status {};
        bool same_mode = ::stat(from.c_str(), &status) == 0 && (mode == 0 || (status.st_mode & 0777) == mode);
        if (same_mode && ::link(from.c_str(), to.c_str()) == 0) return {};
        fs::copy_file(from, to, fs::copy_options::overwrite_existing, failed);
        if (failed) {
            errno = failed.value();
            return cant_write(to);
        }
        if (mode != 0) ::chmod(to.c_str(), mode);
        return {};
    }

    const PayloadContents& base_;
    const fs::path& delta_;
    ByteSpan data_;
    const DeltaSummary& summary_;
    const std::vector<ChangedFile>& files_;
    bool replaces_ = false; ///< the base itself
    fs::path part_;         ///< where the result grows
    bool is_ours_ = false;  ///< nobody else works there
};

} // namespace

Result<Applied> apply_delta(const fs::path& base, const fs::path& delta, const fs::path& to) {
    auto from = PayloadContents::open(base);
    if (!from) return pass_on(from);
    auto bytes = MappedFile::open(delta);
    if (!bytes) return pass_on(bytes);
    auto file = DeltaFile::read(bytes->bytes(), delta);
    if (!file) return pass_on(file);
    return Applier(*from, delta, *file).apply(to);
}

} // namespace omnistasis::payload
