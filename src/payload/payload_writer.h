#pragma once

#include "payload/signing_key.h"
#include "payload/tree_file.h"
#include "support/files.h"
#include "support/observer.h"
#include "support/store.h"

#include <functional>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::payload {

/// A path that the application writes (docs/payload-format.md, "State").
struct StatePath {
    bool is_folder = false;
    std::string place; ///< in the tree
    std::string path;  ///< in the user's data folder for the application
};

/// What the launcher is told (docs/payload-format.md, "The head").
struct Description {
    std::string name;
    std::string version;
    std::string start; ///< program and arguments, each ended by a zero byte
    bool window = false;
    std::string working_folder; ///< a place in the tree that it starts in; empty: where the caller is
    std::string tree_folder;    ///< folder form: relative to the launcher; else empty
    std::string loader;         ///< the place of the tree's own dynamic loader; empty: the system's
    std::vector<StatePath> state{};
    std::vector<std::string> kept_variables{};          ///< of the environment, kept from the program
    std::map<std::string, std::string> set_variables{}; ///< for the program; values may hold place-holders
    std::string parts{};                                ///< the list of parts (payload/parts.h); empty: none
};

/// What one group of files weighs.
struct GroupSize {
    std::uint64_t raw = 0;    ///< of its different contents
    std::uint64_t stored = 0; ///< of its share in the blocks
};

struct PayloadSizes {
    std::uint64_t raw = 0;    ///< of all different contents
    std::uint64_t stored = 0; ///< of the whole payload
    std::map<std::string, GroupSize> groups;
    std::size_t blocks = 0;
    std::size_t known_blocks = 0; ///< of these, those that the store had
    double seconds = 0;           ///< that compressing and writing them took
};

/// The content of a launcher inside the tree.
std::string inner_launcher(std::string launcher, const Description& description);

/// How the payload is stored.
struct StorageOptions {
    int level = 12;                  ///< zstd's
    const SigningKey* key = nullptr; ///< null: not signed
};

/// Writes the new executable `output`: the launcher's bytes with a payload behind them. `files` are put in
/// the order of their places. With a tree folder in the description the files lie beside the launcher, and
/// the payload has their index only; else it holds them: equal contents once, in blocks that are compressed
/// on all threads that TBB may use, unless `store` has them from an earlier time. The bytes depend on the
/// other arguments alone.
Result<PayloadSizes> write_output(const fs::path& output, const std::string& launcher,
                                  std::vector<TreeFile>& files, const Description& description,
                                  const StorageOptions& options, Store& store, Observer& observer);

} // namespace omnistasis::payload
