#pragma once

#include "payload_reader.h"
#include "support/error.h"

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace omnistasis::payload {

/// The contents of a payload's blocks (docs/payload-format.md): blocks are unpacked and hashes are checked on
/// all cores, and the contents are handed on in order, one at a time. Some blocks are in memory at once, not
/// all.
class ContentStream {
  public:
    using Take = std::function<Result<void>(std::uint32_t number, const std::string& content)>;

    /// `file`: the bytes that the index' offsets are in. `damaged` makes an error of a reason. All have to
    /// stay.
    ContentStream(const Index& index, const std::uint8_t* file, const Take& take,
                  std::function<Error(const std::string& why)> damaged)
        : index_(index), file_(file), take_(take), damaged_(std::move(damaged)) {}

    /// Stops at an error: one that `take` returns, or where a block or a content is not what its hash says.
    Result<void> run();

  private:
    struct Block;
    using Step = std::shared_ptr<Block>;

    Step next_block();
    Step unpack(Step block) const;
    Step cut(Step block);
    Step check(Step block) const;
    void hand_on(const Step& block);
    void stop(Error error);

    const Index& index_;
    const std::uint8_t* file_;
    const Take& take_;
    std::function<Error(const std::string&)> damaged_;
    std::uint32_t next_block_ = 0;
    std::uint32_t next_content_ = 0;
    std::string stream_;   ///< what was unpacked, and is not in contents yet
    std::size_t used_ = 0; ///< bytes of it that are
    std::atomic<bool> stopped_ = false;
    std::optional<Error> error_;
};

} // namespace omnistasis::payload
