#include "payload/content_stream.h"

#include "support/hash.h"

#include <cstring>
#include <fmt/format.h>
#include <oneapi/tbb/parallel_pipeline.h>
#include <vector>

namespace omnistasis::payload {

namespace {

/// Those that we write are up to 8 MB large.
constexpr std::size_t most_blocks_at_once = 4;

} // namespace

/// A block, and the contents that end in it.
struct ContentStream::Block {
    std::uint32_t number = 0;
    ReadError error = ReadError::none;
    std::string raw;
    std::uint32_t first = 0; ///< the number of the first content
    std::vector<std::string> contents;
    std::optional<std::uint32_t> wrong; ///< the number of a content that is not what its hash says
};

ContentStream::Step ContentStream::next_block() {
    if (stopped_ || next_block_ == index_.block_count()) return nullptr;
    auto block = std::make_shared<Block>();
    block->number = next_block_++;
    return block;
}

ContentStream::Step ContentStream::unpack(Step block) const {
    payload::Block stored = index_.block(block->number);
    block->raw.resize(stored.raw_size);
    block->error = unpack_block(file_ + stored.offset, stored,
                                reinterpret_cast<std::uint8_t*>(block->raw.data()), nullptr);
    return block;
}

ContentStream::Step ContentStream::cut(Step block) {
    stream_.erase(0, used_);
    used_ = 0;
    stream_ += block->raw;
    block->raw = {};
    block->first = next_content_;
    for (; next_content_ < index_.content_count(); ++next_content_) {
        std::uint64_t size = index_.content_size(next_content_);
        if (stream_.size() - used_ < size) break;
        block->contents.push_back(stream_.substr(used_, size));
        used_ += size;
    }
    return block;
}

ContentStream::Step ContentStream::check(Step block) const {
    std::uint32_t number = block->first;
    for (const std::string& content : block->contents) {
        if (!block->wrong && std::memcmp(sha256(content).data(), index_.content_hash(number), 32) != 0)
            block->wrong = number;
        ++number;
    }
    return block;
}

void ContentStream::hand_on(const Step& block) {
    if (stopped_) return;
    if (block->error != ReadError::none)
        return stop(damaged_(fmt::format("block {}: {}", block->number, text_of(block->error))));
    std::uint32_t number = block->first;
    for (const std::string& content : block->contents) {
        if (block->wrong == number)
            return stop(damaged_(fmt::format("content {} is another than its hash says", number)));
        if (auto done = take_(number++, content); !done) return stop(done.error());
    }
}

void ContentStream::stop(Error error) {
    error_ = std::move(error);
    stopped_ = true;
}

Result<void> ContentStream::run() {
    using oneapi::tbb::filter_mode, oneapi::tbb::make_filter, oneapi::tbb::flow_control;
    auto begin = [this](flow_control& control) {
        Step block = next_block();
        if (!block) control.stop();
        return block;
    };
    oneapi::tbb::parallel_pipeline(
        most_blocks_at_once,
        make_filter<void, Step>(filter_mode::serial_in_order, begin) &
            make_filter<Step, Step>(filter_mode::parallel, [this](Step block) { return unpack(block); }) &
            make_filter<Step, Step>(filter_mode::serial_in_order, [this](Step block) { return cut(block); }) &
            make_filter<Step, Step>(filter_mode::parallel, [this](Step block) { return check(block); }) &
            make_filter<Step, void>(filter_mode::serial_in_order,
                                    [this](const Step& block) { hand_on(block); }));
    // Without any block there may still be empty contents.
    if (!stopped_) hand_on(check(cut(std::make_shared<Block>())));
    if (!stopped_ && next_content_ < index_.content_count())
        stop(damaged_(fmt::format("content {} is not whole", next_content_)));
    if (error_) return tl::make_unexpected(*error_);
    return {};
}

} // namespace omnistasis::payload
