#pragma once

#include "support/files.h"
#include "support/hash.h"
#include "support/store.h"

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::payload {

/// What is made out of a file on its way into the tree, where that is known without making it.
struct MadeContent {
    Sha256 hash{};
    std::uint64_t size = 0;
    std::function<Result<std::string>()> make; ///< gives it; called from any thread
};

/// A file of the app tree. Its content is one of three.
struct TreeFile {
    std::string place;
    unsigned mode = 0644;              ///< 0644 or 0755
    std::string content{};             ///< where `source` is empty and nothing is made
    fs::path source{};                 ///< the file on this machine
    std::optional<MadeContent> made{}; ///< out of `source`
    std::vector<std::size_t> cuts{}; ///< offsets where a block shall end, ascending: what changes on one side
                                     ///< leaves the other as it is
    std::string group{};             ///< what it counts as in sums of sizes: a word of the caller's
    std::optional<Sha256> hash{};    ///< of `content`, where it is known already
    bool is_code = false;            ///< machine code of x86-64
    bool changes_often = false;      ///< between builds: it shares a block only with others that do
};

/// The size of a file's content, in bytes; 0 where its source can't be looked at.
std::uint64_t size_of(const TreeFile& file);

/// A content of the tree: size and hash are known, the bytes are fetched when they are needed.
class TreeContent {
  public:
    /// `file` has to stay.
    static Result<TreeContent> of(const TreeFile& file, Store& store);

    const TreeFile& file() const { return *file_; }
    std::uint64_t size() const { return size_; }
    const Sha256& hash() const { return hash_; }

    /// The bytes, for as long as this lives. Safe to call from many threads. Fails where the file can't be
    /// read, or is another than when the hash was taken.
    Result<ByteSpan> bytes() const;

  private:
    struct Loaded;
    const TreeFile* file_ = nullptr;
    std::uint64_t size_ = 0;
    Sha256 hash_{};
    std::string stamp_; ///< of the source, when the hash was taken
    std::shared_ptr<Loaded> loaded_;
};

} // namespace omnistasis::payload
