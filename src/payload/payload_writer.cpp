#include "payload/payload_writer.h"

#include "code_filter.h"
#include "payload_format.h"
#include "payload_reader.h"
#include "support/byte_writer.h"
#include "support/first_failure.h"
#include "support/stored_form.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <mutex>
#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>
#include <oneapi/tbb/parallel_pipeline.h>
#include <optional>
#include <sys/stat.h>
#include <unistd.h>
#include <zstd.h>

namespace omnistasis::payload {

namespace {

/// Large enough that a block's own dictionary costs little, small enough that blocks spread over the cores.
constexpr std::size_t block_size = 8u << 20;
static_assert(block_size <= largest_block, "readers refuse what is larger");

/// Of the index and the list of parts: mostly hashes, which no level makes smaller, written anew by each
/// build.
constexpr int list_level = 9;

void put_field(std::string& head, HeadTag tag, bool must_know, std::string_view value) {
    put_little(head, tag, 2);
    put_little(head, must_know ? head_must_know : 0, 2);
    put_little(head, value.size(), 4);
    head += value;
}

/// What only a payload with an index says.
struct OfTree {
    Sha256 tree_id, index_hash, launcher_hash;
    std::string parts_record; ///< empty: no list of parts
};

std::string make_head(const Description& description, const OfTree* tree, const SigningKey* key) {
    std::string head;
    if (tree != nullptr) put_field(head, head_tree_id, true, as_text(tree->tree_id));
    put_field(head, head_name, true, description.name);
    put_field(head, head_start, true, description.start);
    put_field(head, head_mode, true, std::string_view(description.window ? "\1" : "\0", 1));
    if (tree != nullptr) {
        put_field(head, head_index_hash, true, as_text(tree->index_hash));
        put_field(head, head_launcher_hash, false, as_text(tree->launcher_hash));
        if (!tree->parts_record.empty()) put_field(head, head_parts, false, tree->parts_record);
    }
    if (!description.tree_folder.empty()) put_field(head, head_tree_folder, true, description.tree_folder);
    if (!description.working_folder.empty())
        put_field(head, head_working_folder, true, description.working_folder);
    if (!description.loader.empty()) put_field(head, head_loader, true, description.loader);
    if (!description.version.empty()) put_field(head, head_version, false, description.version);
    std::string state;
    for (const StatePath& one : description.state)
        for (const std::string& text : {std::string(one.is_folder ? "folder" : "file"), one.place, one.path})
            state += text + '\0';
    if (!state.empty()) put_field(head, head_state, true, state);
    std::string kept;
    for (const std::string& name : description.kept_variables) kept += name + '\0';
    if (!kept.empty()) put_field(head, head_kept_variables, true, kept);
    std::string set;
    for (const auto& [name, value] : description.set_variables) set += name + "=" + value + '\0';
    if (!set.empty()) put_field(head, head_set_variables, true, set);
    if (key != nullptr) put_field(head, head_signature, false, key->sign(head));
    return head;
}

std::string make_trailer(std::uint64_t payload_offset, std::uint64_t head_offset, const std::string& head,
                         std::uint64_t index_offset, std::uint64_t index_stored, std::uint64_t index_raw) {
    std::string trailer(trailer_magic, sizeof trailer_magic);
    put_little(trailer, format_version, 4);
    put_little(trailer, 0, 4);
    put_little(trailer, payload_offset, 8);
    put_little(trailer, head_offset + head.size() + trailer_size, 8);
    put_little(trailer, head_offset, 8);
    put_little(trailer, head.size(), 8);
    put_little(trailer, index_offset, 8);
    put_little(trailer, index_stored, 8);
    put_little(trailer, index_raw, 8);
    trailer += as_text(sha256(head));
    trailer.resize(trailer_own_hash, '\0');
    Sha256 own = sha256(trailer);
    trailer += as_text(own).substr(0, 8);
    return trailer;
}

/// The payload begins at a multiple of 16.
std::string padded(std::string launcher) {
    launcher.resize((launcher.size() + 15) / 16 * 16, '\0');
    return launcher;
}

std::string compressed(const std::string& raw) {
    std::string stored(ZSTD_compressBound(raw.size()), '\0');
    stored.resize(ZSTD_compress(stored.data(), stored.size(), raw.data(), raw.size(), list_level));
    return stored;
}

int window_log(std::size_t size) {
    int log = 10; // the smallest that zstd knows
    while (log < 23 && (std::size_t(1) << log) < size) ++log;
    return log;
}

/// A piece of a content that is in a block.
struct Piece {
    std::size_t content = 0;
    std::size_t from = 0, size = 0;
};

struct Block {
    std::vector<Piece> pieces;
    std::size_t raw_size = 0;
    bool is_code = false;  ///< machine code of x86-64, for the most part
    bool is_known = false; ///< the store had it
    std::string stored;
    Sha256 hash{};
};

/// A content that one file or several have.
struct Content {
    TreeContent content;
    std::vector<std::uint64_t> ends; ///< of the pieces of a long one; empty: it shares a block with others
};

/// Where a long content is cut: after bytes that look a certain way (a rolling hash of the last 64), so that
/// a change moves the cuts around it and no others.
std::size_t cut_at(ByteSpan bytes) {
    if (bytes.size() <= block_size) return bytes.size();
    static const std::array<std::uint64_t, 256> gear = [] {
        std::array<std::uint64_t, 256> table{};
        std::uint64_t state = 0x6F6D6E6973746173; // any constant; it is part of the writer, not of the format
        for (std::uint64_t& value : table) {
            state += 0x9E3779B97F4A7C15;
            std::uint64_t mixed = (state ^ (state >> 30)) * 0xBF58476D1CE4E5B9;
            value = mixed ^ (mixed >> 31);
        }
        return table;
    }();
    constexpr std::uint64_t mask = (block_size / 2 - 1) << 20;
    std::uint64_t rolling = 0;
    for (std::size_t i = block_size / 4; i < block_size; ++i) {
        rolling = (rolling << 1) + gear[bytes[i]];
        if ((rolling & mask) == 0) return i + 1;
    }
    return block_size;
}

bool is_long(const TreeContent& content) {
    return content.size() >= block_size / 4 || !content.file().cuts.empty();
}

/// Where the pieces of a long content end. To find that it is read once, and the answer kept.
Result<std::vector<std::uint64_t>> pieces_of(const TreeContent& content, Store& store) {
    std::string subject = fmt::format("pieces {}", block_size);
    subject += as_text(content.hash());
    for (std::size_t cut : content.file().cuts) put_little(subject, cut, 8);
    std::string key = Store::key_of(subject);
    std::vector<std::uint64_t> ends;
    auto visit = [](auto& archive, auto& list) {
        visit_list(archive, list, [](auto& into, auto& end) { into.value(end); });
    };
    if (auto known = store.find(key)) {
        FormReader reader(*known);
        visit(reader, ends);
        if (reader.complete() && !ends.empty() && ends.back() == content.size()) return ends;
        ends.clear();
    }
    auto bytes = content.bytes();
    if (!bytes) return pass_on(bytes);
    std::size_t at = 0;
    const std::vector<std::size_t>& cuts = content.file().cuts;
    while (at < bytes->size()) {
        auto next_cut = std::ranges::upper_bound(cuts, at);
        std::size_t limit = next_cut == cuts.end() ? bytes->size() : std::min(*next_cut, bytes->size());
        at += cut_at(bytes->subspan(at, limit - at));
        ends.push_back(at);
    }
    FormWriter writer;
    visit(writer, ends);
    store.keep(key, std::move(writer.bytes));
    return ends;
}

class Writer {
  public:
    Writer(const fs::path& output, const std::string& launcher, std::vector<TreeFile>& files,
           const Description& description, const StorageOptions& options, Store& store, Observer& observer)
        : output_(output), launcher_(launcher), files_(files), description_(description), options_(options),
          store_(store), observer_(observer) {}

    ~Writer() {
        if (descriptor_ >= 0) ::close(descriptor_);
    }

    Result<PayloadSizes> run() {
        std::ranges::sort(files_, {}, &TreeFile::place);
        // What readers refuse is not written.
        for (const TreeFile& file : files_)
            if (!is_safe_path({reinterpret_cast<const std::uint8_t*>(file.place.data()), file.place.size()}))
                return fail(ErrorKind::fault, "a file can't have this place in the app tree", file.place);
        if (auto done = gather_contents(); !done) return pass_on(done);
        descriptor_ = ::open(output_.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0755);
        if (descriptor_ < 0 || ::fchmod(descriptor_, 0755) != 0) return cant_write();
        std::string front = padded(launcher_);
        std::uint64_t payload_offset = front.size();
        if (!append(front)) return cant_write();
        written_ = 0;
        if (description_.tree_folder.empty()) write_blocks();
        if (error_) return tl::make_unexpected(*error_);
        if (failed_) return cant_write();

        OfTree tree;
        tree.launcher_hash = sha256(front);
        std::string rest;
        if (!description_.parts.empty()) {
            rest = compressed(description_.parts);
            put_little(tree.parts_record, written_, 8);
            put_little(tree.parts_record, rest.size(), 8);
            put_little(tree.parts_record, description_.parts.size(), 8);
            tree.parts_record += as_text(sha256(rest));
        }
        std::string raw = make_index(tree.tree_id);
        std::string stored = compressed(raw);
        tree.index_hash = sha256(stored);
        std::uint64_t index_offset = written_ + rest.size();
        std::string head = make_head(description_, &tree, options_.key);
        rest += stored + head;
        rest += make_trailer(payload_offset, index_offset + stored.size(), head, index_offset, stored.size(),
                             raw.size());
        if (!append(rest)) return cant_write();
        sizes_.stored = written_;
        return sizes_;
    }

  private:
    tl::unexpected<Error> cant_write() const {
        return fail(ErrorKind::unwritable, "can't write the output", output_.filename().string(),
                    system_text(errno), "make room on the disk, or choose another folder with --out");
    }

    bool append(std::string_view bytes) {
        while (!bytes.empty()) {
            ssize_t count = ::write(descriptor_, bytes.data(), bytes.size());
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return false;
            bytes.remove_prefix(static_cast<std::size_t>(count));
            written_ += static_cast<std::uint64_t>(count);
        }
        return true;
    }

    /// Files of one kind side by side compress best: the contents are ordered by file ending, then by place.
    /// What changes often comes last, in blocks of its own.
    Result<void> gather_contents() {
        std::vector<const TreeFile*> order;
        for (const TreeFile& file : files_) order.push_back(&file);
        auto rank = [](const TreeFile* file) {
            return std::pair(file->changes_often, fs::path(file->place).extension().string());
        };
        std::ranges::stable_sort(order, {}, rank);
        std::vector<Content> all(order.size());
        FirstFailure failures;
        oneapi::tbb::parallel_for(std::size_t(0), order.size(), [&](std::size_t i) {
            auto content = TreeContent::of(*order[i], store_);
            if (!content) {
                failures.note(i, content.error());
                return;
            }
            all[i].content = std::move(*content);
            if (!description_.tree_folder.empty() || !is_long(all[i].content)) return;
            if (auto pieces = pieces_of(all[i].content, store_))
                all[i].ends = std::move(*pieces);
            else
                failures.note(i, pieces.error());
        });
        if (auto done = failures.result(); !done) return done;
        std::map<Sha256, std::uint32_t> numbers;
        for (Content& one : all) {
            auto [entry, is_new] =
                numbers.try_emplace(one.content.hash(), static_cast<std::uint32_t>(contents_.size()));
            number_of_[&one.content.file()] = entry->second;
            if (!is_new) continue;
            sizes_.raw += one.content.size();
            contents_.push_back(std::move(one));
        }
        return {};
    }

    void write_blocks() {
        observer_.step_of_bytes("compressing", static_cast<std::size_t>(sizes_.raw));
        auto begin = std::chrono::steady_clock::now();
        std::size_t next = 0, used = 0;
        auto cut = [&](oneapi::tbb::flow_control& control) -> std::shared_ptr<Block> {
            auto block = std::make_shared<Block>();
            while (next < contents_.size() && !failed_) {
                const Content& content = contents_[next];
                // A long content begins a block of its own: what is in front of it does not move its cuts.
                bool is_cut = !content.ends.empty();
                if (is_cut && block->raw_size > 0 && used == 0) break;
                std::size_t whole = content.content.size();
                if (!is_cut && block->raw_size > 0 && block->raw_size + whole > block_size) break;
                bool begins_own_blocks = next > 0 && used == 0 && content.content.file().changes_often &&
                                         !contents_[next - 1].content.file().changes_often;
                if (begins_own_blocks && block->raw_size > 0) break;
                std::size_t end = is_cut ? *std::ranges::upper_bound(content.ends, used) : whole;
                if (end > used) block->pieces.push_back({next, used, end - used});
                block->raw_size += end - used;
                used = end;
                if (used == whole) {
                    ++next;
                    used = 0;
                }
                if (is_cut || ends_group(content.content, block->raw_size)) break;
            }
            if (block->raw_size == 0) control.stop();
            std::size_t code = 0;
            for (const Piece& piece : block->pieces)
                code += contents_[piece.content].content.file().is_code ? piece.size : 0;
            block->is_code = code > block->raw_size / 2;
            return block;
        };
        auto compress = [&](std::shared_ptr<Block> block) {
            std::string key = key_of(*block);
            auto is_right = [&](std::string_view stored) { return load(*block) && holds(*block, stored); };
            if (auto known = store_.find_shared(key, is_right, &block->hash);
                known && known->size() <= block->raw_size) {
                block->stored = std::move(*known);
                block->is_known = true;
            } else if (load(*block)) {
                compress_pieces(*block);
                block->hash = sha256(block->stored);
                store_.keep_shared(key, block->stored, &block->hash);
            }
            observer_.advance(block->raw_size);
            return block;
        };
        auto write = [&](std::shared_ptr<Block> block) {
            put_little(blocks_, written_, 8);
            put_little(blocks_, block->stored.size(), 4);
            bool is_filtered = block->is_code && block->stored.size() < block->raw_size;
            put_little(blocks_, block->raw_size | (is_filtered ? block_is_code : 0), 4);
            blocks_ += as_text(block->hash);
            ++block_count_;
            sizes_.known_blocks += block->is_known;
            for (const Piece& piece : block->pieces) {
                GroupSize& group = sizes_.groups[contents_[piece.content].content.file().group];
                group.raw += piece.size;
                group.stored += block->stored.size() * piece.size / block->raw_size;
            }
            if (!append(block->stored)) failed_ = true;
        };
        using oneapi::tbb::filter_mode;
        using oneapi::tbb::make_filter;
        oneapi::tbb::parallel_pipeline(
            16,
            make_filter<void, std::shared_ptr<Block>>(filter_mode::serial_in_order, cut) &
                make_filter<std::shared_ptr<Block>, std::shared_ptr<Block>>(filter_mode::parallel, compress) &
                make_filter<std::shared_ptr<Block>, void>(filter_mode::serial_in_order, write));
        sizes_.blocks = block_count_;
        sizes_.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    }

    /// Whether a block of short contents ends with this one: which one does not depend on the others.
    static bool ends_group(const TreeContent& content, std::size_t raw_size) {
        return raw_size >= block_size || (raw_size >= block_size / 4 && content.hash()[0] < 16);
    }

    /// All that the stored form of a block depends on.
    std::string key_of(const Block& block) const {
        std::string subject = fmt::format("block {} {} {} {}", ZSTD_versionString(), options_.level,
                                          window_log(block.raw_size), block.is_code ? "code" : "plain");
        for (const Piece& piece : block.pieces) {
            subject += as_text(contents_[piece.content].content.hash());
            put_little(subject, piece.from, 8);
            put_little(subject, piece.size, 8);
        }
        return Store::key_of(subject);
    }

    void compress_pieces(Block& block) {
        omnistasis::Bytes joined; // not the view of that name that readers hand around
        ByteSpan raw;
        if (block.pieces.size() == 1 && !block.is_code) {
            raw = bytes_of(block.pieces[0]);
        } else {
            joined.reserve(block.raw_size);
            for (const Piece& piece : block.pieces) {
                ByteSpan bytes = bytes_of(piece);
                joined.insert(joined.end(), bytes.begin(), bytes.end());
            }
            if (block.is_code) distances_to_positions(joined.data(), joined.size());
            raw = joined;
        }
        Compressor& compressor = compressors_.local();
        compressor.out.resize(std::max(compressor.out.size(), ZSTD_compressBound(raw.size())));
        ZSTD_CCtx* context = compressor.context.get();
        ZSTD_CCtx_reset(context, ZSTD_reset_session_and_parameters);
        ZSTD_CCtx_setParameter(context, ZSTD_c_compressionLevel, options_.level);
        // What the whole block holds may be referred to; some levels would look back over a part of it only.
        ZSTD_CCtx_setParameter(context, ZSTD_c_windowLog, window_log(raw.size()));
        std::size_t size =
            ZSTD_compress2(context, compressor.out.data(), compressor.out.size(), raw.data(), raw.size());
        // What does not become smaller is stored as it is; equal sizes say so.
        if (ZSTD_isError(size) || size >= raw.size()) {
            if (block.is_code) positions_to_distances(joined.data(), joined.size());
            block.stored = as_text(raw);
        } else {
            block.stored.assign(compressor.out, 0, size);
        }
    }

    /// Whether stored bytes that come from elsewhere are those of the block: unpacking is far faster than
    /// packing.
    bool holds(const Block& block, std::string_view stored) const {
        if (stored.size() > block.raw_size) return false;
        std::string raw(stored.size() == block.raw_size ? stored : std::string_view());
        if (raw.empty()) {
            raw.resize(block.raw_size);
            if (ZSTD_decompress(raw.data(), raw.size(), stored.data(), stored.size()) != raw.size())
                return false;
            if (block.is_code)
                positions_to_distances(reinterpret_cast<std::uint8_t*>(raw.data()), raw.size());
        }
        std::size_t at = 0;
        for (const Piece& piece : block.pieces) {
            ByteSpan wanted = bytes_of(piece);
            if (std::memcmp(raw.data() + at, wanted.data(), wanted.size()) != 0) return false;
            at += wanted.size();
        }
        return at == raw.size();
    }

    /// Fetches the contents of a block; false, with the reason noted, where one can't be had.
    bool load(const Block& block) {
        for (const Piece& piece : block.pieces)
            if (auto bytes = contents_[piece.content].content.bytes(); !bytes) {
                std::lock_guard lock(mutex_);
                error_ = bytes.error();
                failed_ = true;
                return false;
            }
        return true;
    }

    /// Of a block that is loaded.
    ByteSpan bytes_of(const Piece& piece) const {
        return contents_[piece.content].content.bytes()->subspan(piece.from, piece.size);
    }

    std::string make_index(Sha256& tree_id) {
        std::string index;
        put_little(index, block_count_, 4);
        put_little(index, contents_.size(), 4);
        put_little(index, files_.size(), 4);
        index += blocks_;
        for (const Content& content : contents_) {
            put_little(index, content.content.size(), 8);
            index += as_text(content.content.hash());
        }
        // The tree's id does not depend on how the tree is stored.
        std::string identity = description_.start + '\0';
        for (const TreeFile& file : files_) {
            std::uint32_t number = number_of_[&file];
            put_little(index, number, 4);
            put_little(index, file.mode, 2);
            put_little(index, file.place.size(), 2);
            index += file.place;
            identity += file.place + '\0';
            put_little(identity, file.mode, 2);
            identity += as_text(contents_[number].content.hash());
        }
        tree_id = sha256(identity);
        return index;
    }

    fs::path output_;
    const std::string& launcher_;
    std::vector<TreeFile>& files_;
    const Description& description_;
    const StorageOptions& options_;
    Store& store_;
    Observer& observer_;
    int descriptor_ = -1;
    std::uint64_t written_ = 0; ///< since the payload's start
    std::vector<Content> contents_;
    std::map<const TreeFile*, std::uint32_t> number_of_;
    std::string blocks_;
    std::uint32_t block_count_ = 0;
    std::atomic<bool> failed_ = false;
    /// What a thread compresses with: its tables are large, and to get them anew for each block takes time.
    struct Compressor {
        std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> context{ZSTD_createCCtx(), &ZSTD_freeCCtx};
        std::string out;
    };
    oneapi::tbb::enumerable_thread_specific<Compressor> compressors_;
    std::mutex mutex_;
    std::optional<Error> error_; ///< why a content can't be had
    PayloadSizes sizes_;
};

} // namespace

std::string inner_launcher(std::string launcher, const Description& description) {
    launcher = padded(std::move(launcher));
    std::string head = make_head(description, nullptr, nullptr);
    std::string trailer = make_trailer(launcher.size(), 0, head, 0, 0, 0);
    return launcher + head + trailer;
}

Result<PayloadSizes> write_output(const fs::path& output, const std::string& launcher,
                                  std::vector<TreeFile>& files, const Description& description,
                                  const StorageOptions& options, Store& store, Observer& observer) {
    return Writer(output, launcher, files, description, options, store, observer).run();
}

} // namespace omnistasis::payload
