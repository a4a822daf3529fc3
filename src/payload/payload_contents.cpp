#include "payload/payload_contents.h"

#include "payload_reader.h"
#include "support/hash.h"

#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <zstd.h>

namespace omnistasis::payload {

namespace {

std::string text_of(const Bytes& bytes) { return {reinterpret_cast<const char*>(bytes.data), bytes.size}; }

std::string hex_of(const std::uint8_t* bytes) {
    Sha256 digest;
    std::copy(bytes, bytes + digest.size(), digest.begin());
    return hex(digest);
}

} // namespace

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
    if (!mapped) return tl::make_unexpected(mapped.error());
    PayloadContents contents(std::move(*mapped), file);
    if (auto read = contents.read(); !read) return tl::make_unexpected(read.error());
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
    launcher_size_ = trailer.payload_offset;
    payload_size_ = trailer.payload_size;
    if (head.tree_id.size == 32) tree_id_ = hex_of(head.tree_id.data);
    // A tree that lies beside the launcher has no index.
    if (!description_.tree_folder.empty()) return {};
    raw_index_.resize(trailer.index_raw + 1);
    auto* raw = reinterpret_cast<std::uint8_t*>(raw_index_.data());
    auto error = unpack_index({bytes + trailer.index_offset, trailer.index_stored}, trailer, head, raw);
    Index index;
    if (error == ReadError::none) error = index.open({raw, trailer.index_raw}, trailer);
    if (error != ReadError::none) return damaged(payload::text_of(error));
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
    const std::uint8_t* bytes = file_.bytes().data();
    Trailer trailer;
    if (auto error = read_trailer(bytes + file_.bytes().size() - trailer_size, file_.bytes().size(), trailer);
        error != ReadError::none)
        return damaged(payload::text_of(error));
    Index index;
    if (auto error = index.open({reinterpret_cast<const std::uint8_t*>(raw_index_.data()), trailer.index_raw},
                                trailer);
        error != ReadError::none)
        return damaged(payload::text_of(error));
    std::unique_ptr<ZSTD_DCtx, decltype(&ZSTD_freeDCtx)> context(ZSTD_createDCtx(), &ZSTD_freeDCtx);
    std::string stream; // what was unpacked and not yet handed on
    std::uint32_t block = 0;
    for (std::uint32_t content = 0; content < index.content_count(); ++content) {
        std::uint64_t wanted = index.content_size(content);
        while (stream.size() < wanted) {
            if (block == index.block_count()) return damaged(fmt::format("content {} is not whole", content));
            Block one = index.block(block++);
            std::size_t before = stream.size();
            stream.resize(before + one.raw_size);
            auto error = unpack_block(bytes + one.offset, one,
                                      reinterpret_cast<std::uint8_t*>(stream.data()) + before, context.get());
            if (error != ReadError::none)
                return damaged(fmt::format("block {}: {}", block - 1, payload::text_of(error)));
        }
        std::string part = stream.substr(0, wanted);
        stream.erase(0, wanted);
        if (std::memcmp(sha256(part).data(), index.content_hash(content), 32) != 0)
            return damaged(fmt::format("content {} is another than its hash says", content));
        if (auto taken = take(content, part); !taken) return taken;
    }
    return {};
}

} // namespace omnistasis::payload
