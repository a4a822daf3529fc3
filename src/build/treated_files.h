#pragma once

// What becomes of a file of the plan on its way into the tree: debug symbols go, search paths and names of
// libraries lead to the tree, programs are dressed, archives keep the members that are needed. What comes out
// is kept in the store by what it is made of, and made again only where it is needed.

#include "dress/icon_pictures.h"
#include "dress/platform.h"
#include "payload/tree_file.h"
#include "plan/plan.h"
#include "project/project.h"
#include "support/hash.h"
#include "support/store.h"
#include "trace/graph.h"

#include <functional>
#include <optional>
#include <string>

namespace omnistasis::build {

/// The library that leads compiled-in paths to their places, in the tree's folder of libraries.
constexpr const char* fixed_places_library = "fixed-places.so";

/// The way from a file's folder in the tree to the tree: "../..", or ".".
std::string way_to_tree(const std::string& place);

/// The hash of the project's icon; nothing where it has none, or it can't be read.
std::optional<Sha256> icon_hash(const Project& project, Store& store);

class TreatedFiles {
  public:
    /// All have to stay. `icon` is null where the application has none.
    TreatedFiles(const Project& project, const trace::Graph& graph, const dress::Platform& platform,
                 const dress::IconPictures* icon, Store& store)
        : project_(project), graph_(graph), platform_(platform), icon_(icon), store_(store) {}

    /// Fills in where the content of the tree's file comes from; `this` has to stay until that was asked for.
    /// Gives the bytes that were saved. Safe to call from many threads.
    Result<std::uint64_t> treat(const plan::PlannedFile& file, payload::TreeFile& out) const;

  private:
    Result<std::uint64_t> dress_program(const plan::PlannedFile& file, payload::TreeFile& out) const;
    Result<std::uint64_t> reduce(const plan::PlannedFile& file, payload::TreeFile& out) const;
    Result<std::uint64_t> remembered(const std::string& key, const std::function<Result<std::string>()>& make,
                                     std::uint64_t before, payload::TreeFile& out) const;
    std::string program_folder() const;

    const Project& project_;
    const trace::Graph& graph_;
    const dress::Platform& platform_;
    const dress::IconPictures* icon_;
    Store& store_;
};

} // namespace omnistasis::build
