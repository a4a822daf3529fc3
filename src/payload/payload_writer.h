#pragma once

#include "support/files.h"
#include "support/observer.h"
#include "support/store.h"

#include <functional>
#include <string>
#include <vector>

namespace omnistasis::payload {

/// A file of the app tree with its content, in memory or on disk.
struct TreeFile {
    std::string place;
    unsigned mode = 0644; ///< 0644 or 0755
    std::string content;  ///< where `source` is empty
    fs::path source;
};

/// What the launcher is told (docs/payload-format.md, "The head").
struct Description {
    std::string name;
    std::string version;
    std::string start; ///< program and arguments, each ended by a zero byte
    bool window = false;
    std::string working_folder; ///< a place in the tree that it starts in; empty: where the caller is
    std::string tree_folder;    ///< folder layout: relative to the launcher; else empty
    std::string loader;         ///< the place of the tree's own dynamic loader; empty: the system's
};

struct PayloadSizes {
    std::uint64_t raw = 0;    ///< of all different contents
    std::uint64_t stored = 0; ///< of the whole payload
};

/// What is appended to a launcher for a tree that is not inside it.
std::string folder_payload(const Description& description, std::uint64_t launcher_size);

/// Appends a payload with `files` (any order) to the file `output`, which holds the launcher. `level` is
/// zstd's. Equal contents are stored once; blocks are compressed on all threads that TBB may use, unless
/// `store` has them from an earlier time. The bytes depend on the other arguments alone.
Result<PayloadSizes> append_payload(const fs::path& output, std::vector<TreeFile> files,
                                    const Description& description, int level, Store& store,
                                    Observer& observer);

} // namespace omnistasis::payload
