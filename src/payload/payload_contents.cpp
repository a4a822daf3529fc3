#include "payload/payload_contents.h"

#include "payload/content_stream.h"
#include "payload/launcher_slots.h"
#include "payload/signing_key.h"
#include "payload_reader.h"
#include "support/byte_view.h"
#include "support/first_failure.h"
#include "support/hash.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <oneapi/tbb/parallel_for.h>
#include <optional>
#include <unordered_map>
#include <zstd.h>

namespace omnistasis::payload {

namespace {

std::string text_of(const Bytes& bytes) { return {reinterpret_cast<const char*>(bytes.data), bytes.size}; }

std::string hex_of(const std::uint8_t* bytes) {
    Sha256 digest;
    std::copy(bytes, bytes + digest.size(), digest.begin());
    return hex(digest);
}

/// In a PE file the checksum of the whole, which is written last, counts as zero.
Sha256 hash_of_launcher(ByteSpan launcher) {
    ByteView view(launcher);
    std::uint64_t field = view.word(pe_header_offset) + pe_checksum_offset;
    if (view.half(0) != 0x5a4d || !view.holds(field, 4)) return sha256(launcher);
    omnistasis::Bytes changed(launcher.begin(), launcher.end());
    std::fill_n(changed.begin() + static_cast<std::ptrdiff_t>(field), 4, std::uint8_t(0));
    return sha256(changed);
}

} // namespace

fs::path launcher_of_payload(const fs::path& payload) {
    if (payload.extension() != ".payload") return {};
    std::string name = payload.stem().string();
    fs::path beside = payload.parent_path() / name;
    return is_file(beside) ? beside : payload.parent_path().parent_path() / "MacOS" / name;
}

tl::unexpected<Error> PayloadContents::damaged(const std::string& why) const {
    return fail(ErrorKind::bad_input, "the payload can't be read", name_, why,
                "get the file anew, or build it again");
}

bool PayloadContents::has_payload(ByteSpan file) {
    return file.size() >= trailer_size &&
           std::memcmp(file.data() + file.size() - trailer_size, trailer_magic, sizeof trailer_magic) == 0;
}

Result<PayloadContents> PayloadContents::open(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    PayloadContents contents(std::move(*mapped), file);
    if (auto read = contents.read(); !read) return pass_on(read);
    return contents;
}

Result<void> PayloadContents::read() {
    const std::uint8_t* bytes = file_.bytes().data();
    std::uint64_t size = file_.bytes().size();
    if (size < trailer_size) return damaged(payload::text_of(ReadError::no_payload));
    Trailer trailer;
    Head head;
    if (auto error = read_trailer(bytes + size - trailer_size, size, trailer); error != ReadError::none)
        return damaged(payload::text_of(error));
    if (auto error = read_head({bytes + trailer.head_offset, trailer.head_size}, trailer, head);
        error != ReadError::none)
        return damaged(payload::text_of(error));
    description_ = {text_of(head.name),           text_of(head.version),     text_of(head.start), head.window,
                    text_of(head.working_folder), text_of(head.tree_folder), text_of(head.loader)};
    std::string state = text_of(head.state);
    for (std::size_t at = 0; at < state.size();) {
        std::array<std::string, 3> texts;
        for (std::string& text : texts) {
            text = state.c_str() + at;
            at += text.size() + 1;
        }
        description_.state.push_back({texts[0] == "folder", texts[1], texts[2]});
    }
    parts_ = head.parts;
    head_offset_ = trailer.head_offset;
    if (head.launcher_hash.size != 0 &&
        std::memcmp(hash_of_launcher(file_.bytes().first(trailer.payload_offset)).data(),
                    head.launcher_hash.data, 32) != 0)
        return damaged("the launcher in front of the payload is not the one that was built");
    auto launcher_apart = MappedFile::open(launcher_of_payload(name_), false);
    public_key_ = public_key_of(launcher_apart ? launcher_apart->text()
                                               : file_.text().substr(0, trailer.payload_offset));
    if (!public_key_.empty() &&
        !is_signed_by(public_key_, text_of(head.signed_part), text_of(head.signature)))
        return damaged("the signature is not that of the publisher whose key the launcher holds");
    launcher_size_ = trailer.payload_offset;
    payload_size_ = trailer.payload_size;
    if (head.tree_id.size == 32) tree_id_ = hex_of(head.tree_id.data);
    // A launcher inside a tree has no index.
    if (head.index_hash.size == 0) return {};
    raw_index_.resize(trailer.index_raw + 1);
    auto* raw = reinterpret_cast<std::uint8_t*>(raw_index_.data());
    auto error = unpack_index({bytes + trailer.index_offset, trailer.index_stored}, trailer, head, raw);
    Index index;
    if (error == ReadError::none) error = index.open({raw, trailer.index_raw}, trailer, !is_folder());
    if (error != ReadError::none) return damaged(payload::text_of(error));
    std::vector<std::uint8_t> room(tree_identity_size(head, index));
    if (!is_tree_id_right(head, index, room.data()))
        return damaged("the tree's id is not that of its content");
    for (std::uint32_t i = 0; i < index.content_count(); ++i) raw_size_ += index.content_size(i);
    File file;
    for (std::size_t at = 0; index.next_file(at, file);)
        files_.push_back({text_of(file.path), file.mode, index.content_size(file.content),
                          hex_of(index.content_hash(file.content)), file.content});
    return {};
}

Result<void> PayloadContents::each_content(
    const std::function<Result<void>(std::uint32_t, const std::string&)>& take) const {
    if (raw_index_.empty()) return {};
    if (is_folder()) return each_file_beside(take);
    const std::uint8_t* bytes = file_.bytes().data();
    Trailer trailer;
    if (auto error = read_trailer(bytes + file_.bytes().size() - trailer_size, file_.bytes().size(), trailer);
        error != ReadError::none)
        return damaged(payload::text_of(error));
    Index index;
    if (auto error = index.open({reinterpret_cast<const std::uint8_t*>(raw_index_.data()), trailer.index_raw},
                                trailer, true);
        error != ReadError::none)
        return damaged(payload::text_of(error));
    auto why_damaged = [this](const std::string& why) { return damaged(why).value(); };
    return ContentStream(index, bytes, take, why_damaged).run();
}

Result<void> PayloadContents::extract(const fs::path& folder) const {
    std::unordered_multimap<std::uint32_t, const StoredFile*> of_content;
    for (const StoredFile& file : files_) of_content.emplace(file.content, &file);
    return each_content([&](std::uint32_t number, const std::string& bytes) -> Result<void> {
        auto [first, last] = of_content.equal_range(number);
        for (auto one = first; one != last; ++one) {
            const StoredFile& file = *one->second;
            fs::path to = (folder / file.place).lexically_normal();
            if (relative_to(to.string(), folder.lexically_normal().string()).empty())
                return fail(ErrorKind::bad_input, "a file of the payload leads out of the folder",
                            file.place);
            std::error_code ignored;
            fs::create_directories(to.parent_path(), ignored);
            if (auto done = write_new(to, as_bytes(bytes), file.mode); !done) return done;
        }
        return {};
    });
}

std::vector<std::uint64_t> PayloadContents::stored_sizes() const {
    std::vector<std::uint64_t> sizes;
    if (raw_index_.empty()) return sizes;
    Trailer trailer;
    trailer.payload_offset = launcher_size_;
    trailer.payload_size = payload_size_;
    Index index;
    if (index.open({reinterpret_cast<const std::uint8_t*>(raw_index_.data()), raw_index_.size() - 1}, trailer,
                   !is_folder()) != ReadError::none)
        return sizes;
    if (is_folder()) {
        for (std::uint32_t i = 0; i < index.content_count(); ++i) sizes.push_back(index.content_size(i));
        return sizes;
    }
    // Of each block, up to where it has been shared out; rounded so that the shares of a block are the block.
    std::uint32_t number = 0;
    Block block = index.block_count() > 0 ? index.block(0) : Block();
    std::uint64_t used = 0;
    auto share = [&](std::uint64_t bytes) {
        return block.raw_size == 0 ? 0
                                   : block.stored_size * (used + bytes) / block.raw_size -
                                         block.stored_size * used / block.raw_size;
    };
    for (std::uint32_t i = 0; i < index.content_count(); ++i) {
        std::uint64_t left = index.content_size(i), size = 0;
        while (left > 0 && number < index.block_count()) {
            std::uint64_t here = std::min<std::uint64_t>(left, block.raw_size - used);
            size += share(here);
            used += here;
            left -= here;
            if (used < block.raw_size) continue;
            used = 0;
            if (++number < index.block_count()) block = index.block(number);
        }
        sizes.push_back(size);
    }
    return sizes;
}

/// The first file of each content stands for all that have it; the others are checked too.
Result<void> PayloadContents::each_file_beside(
    const std::function<Result<void>(std::uint32_t, const std::string&)>& take) const {
    fs::path tree = name_.parent_path() / description_.tree_folder;
    std::vector<const StoredFile*> order;
    for (const StoredFile& file : files_) order.push_back(&file);
    std::ranges::stable_sort(order, {}, &StoredFile::content);
    for (std::size_t i = 0; i < order.size(); ++i) {
        auto bytes = read_text(tree / order[i]->place);
        if (!bytes) return pass_on(bytes);
        if (hex(sha256(*bytes)) != order[i]->hash)
            return fail(ErrorKind::bad_input, "a file of the output is not what was built",
                        tree / order[i]->place, "its hash is another",
                        "get the output anew, or build it again");
        if (i > 0 && order[i]->content == order[i - 1]->content) continue;
        if (auto taken = take(order[i]->content, *bytes); !taken) return taken;
    }
    return {};
}

Result<std::vector<Part>> PayloadContents::parts() const {
    if (parts_.hash == nullptr) return std::vector<Part>();
    ByteSpan bytes = file_.bytes().subspan(parts_.offset, parts_.stored);
    std::string text(parts_.raw, '\0');
    bool right = std::memcmp(sha256(bytes).data(), parts_.hash, 32) == 0 &&
                 ZSTD_decompress(text.data(), text.size(), bytes.data(), bytes.size()) == text.size();
    auto parts = right ? parse_parts(text) : std::nullopt;
    if (!parts) return damaged("the list of parts does not fit its hash");
    return std::move(*parts);
}

std::string PayloadContents::identity() const { return hex(sha256(file_.bytes().subspan(head_offset_))); }

Result<void> PayloadContents::verify() const {
    std::vector<Segment> all = segments();
    std::atomic<bool> right = true;
    oneapi::tbb::parallel_for(std::size_t(0), all.size(), [&](std::size_t i) {
        Sha256 own = sha256(file_.bytes().subspan(all[i].offset, all[i].size));
        if (std::memcmp(own.data(), all[i].hash.data(), own.size()) != 0) right = false;
    });
    if (!right) return damaged(payload::text_of(ReadError::damaged));
    if (!is_folder()) return {};
    FirstFailure failures;
    oneapi::tbb::parallel_for(std::size_t(0), files_.size(), [&](std::size_t i) {
        fs::path file = name_.parent_path() / description_.tree_folder / files_[i].place;
        auto content = MappedFile::open(file);
        if (content && hex(sha256(content->bytes())) == files_[i].hash) return;
        failures.note(i, {ErrorKind::bad_input, "a file of the output is not what was built", file.string(),
                          content ? "its hash is another" : content.error().why,
                          "get the output anew, or build it again"});
    });
    return failures.result();
}

std::vector<Segment> PayloadContents::segments() const {
    std::vector<Segment> segments;
    auto add = [&](std::uint64_t offset, std::uint64_t size, const std::uint8_t* hash) {
        Sha256 own = hash == nullptr ? sha256(file_.bytes().subspan(offset, size)) : Sha256{};
        const std::uint8_t* bytes = hash == nullptr ? own.data() : hash;
        if (size > 0)
            segments.push_back({offset, size, std::string(reinterpret_cast<const char*>(bytes), own.size())});
    };
    add(0, launcher_size_, nullptr);
    std::uint64_t at = launcher_size_;
    Trailer trailer;
    trailer.payload_offset = launcher_size_;
    trailer.payload_size = payload_size_;
    Index index;
    if (!raw_index_.empty() &&
        index.open({reinterpret_cast<const std::uint8_t*>(raw_index_.data()), raw_index_.size() - 1}, trailer,
                   !is_folder()) == ReadError::none)
        for (std::uint32_t i = 0; i < index.block_count(); ++i) {
            Block block = index.block(i);
            if (block.offset != at) break;
            add(block.offset, block.stored_size, block.hash);
            at += block.stored_size;
        }
    // The list of parts and the index, then the head and the trailer.
    add(at, head_offset_ - at, nullptr);
    add(head_offset_, file_.bytes().size() - head_offset_, nullptr);
    return segments;
}

} // namespace omnistasis::payload
