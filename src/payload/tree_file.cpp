#include "payload/tree_file.h"

#include "support/file_hash.h"
#include "support/own_program.h"

#include <mutex>

namespace omnistasis::payload {

struct TreeContent::Loaded {
    std::once_flag once;
    std::optional<MappedFile> mapped;
    std::string made;
    ByteSpan bytes;
    std::optional<Error> error;

    void load(const TreeFile& file) {
        if (file.made) {
            auto content = file.made->make();
            if (!content) {
                error = content.error();
                return;
            }
            made = std::move(*content);
            bytes = as_bytes(made);
        } else if (file.source.empty()) {
            bytes = as_bytes(file.content);
        } else if (auto opened = MappedFile::open(file.source)) {
            mapped = std::move(*opened);
            bytes = mapped->bytes();
        } else {
            error = opened.error();
        }
    }
};

std::uint64_t size_of(const TreeFile& file) {
    if (file.made) return file.made->size;
    if (file.source.empty()) return file.content.size();
    std::error_code failed;
    std::uint64_t size = fs::file_size(file.source, failed);
    return failed ? 0 : size;
}

Result<TreeContent> TreeContent::of(const TreeFile& file, Store& store) {
    TreeContent content;
    content.file_ = &file;
    content.loaded_ = std::make_shared<Loaded>();
    if (!file.source.empty()) content.stamp_ = file_stamp(file.source);
    content.size_ = size_of(file);
    if (file.made) {
        content.hash_ = file.made->hash;
        return content;
    }
    if (!file.source.empty()) {
        if (auto hash = file_hash(file.source, store)) {
            content.hash_ = *hash;
            return content;
        }
    }
    if (file.hash) {
        content.hash_ = *file.hash;
        return content;
    }
    auto bytes = content.bytes();
    if (!bytes) return pass_on(bytes);
    content.size_ = bytes->size();
    content.hash_ = sha256(*bytes);
    return content;
}

Result<ByteSpan> TreeContent::bytes() const {
    std::call_once(loaded_->once, [&] {
        loaded_->load(*file_);
        // Between the look at the file and now somebody may have written it.
        if (!stamp_.empty() && !loaded_->error && file_stamp(file_->source) != stamp_)
            loaded_->error = Error{ErrorKind::missing, "a file was changed while the output was built",
                                   file_->source.string(), "", "build again"};
    });
    if (loaded_->error) return tl::make_unexpected(*loaded_->error);
    return loaded_->bytes;
}

} // namespace omnistasis::payload
