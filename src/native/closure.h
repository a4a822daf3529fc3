#pragma once

#include "native/host_libraries.h"
#include "native/loader_model.h"
#include "support/store.h"

#include <functional>
#include <map>
#include <oneapi/tbb/concurrent_unordered_map.h>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace omnistasis::native {

/// A library that goes into the app tree because another file needs it.
struct ShippedLibrary {
    std::string name;        ///< the name that it is asked for by
    std::string file;        ///< its real path on this machine
    std::string place;       ///< in the app tree
    bool other_name = false; ///< it has a place already, under a name that this need does not ask for
};

/// One DT_NEEDED entry, or a name in the text of a file that opens libraries, and what the dynamic loader
/// makes of it.
struct LibraryNeed {
    std::string from_file;
    std::string name;
    std::string found_file; ///< empty where it is not found
    bool opened = false;    ///< not linked: it is opened by name while the program runs
};

/// A program that another loader than this system's starts, as those for another C library: what is known of
/// searching libraries does not hold for it.
struct OtherLoader {
    std::string file;
    std::string loader; ///< path
};

/// A library that is found, but at another version than a file was linked with.
struct UnfitLibrary {
    std::string from_file;
    std::string file;                  ///< of the library
    std::vector<std::string> versions; ///< of symbols that it does not have
};

/// The native libraries that files need, found by the dynamic loader's rules (ld.so(8)): DT_RPATH of the file
/// and of those that loaded it unless it has a DT_RUNPATH, LD_LIBRARY_PATH, DT_RUNPATH, the loader cache, the
/// default folders. A name is loaded once in a process: the first file found for it serves all.
class Closure {
  public:
    /// `program` is what loads all files that are added: its own libraries and search path come first.
    /// `store` keeps what a search of the files' texts gives.
    /// `place_of_package_file` gives the place of a library that belongs to a package; others go into lib/.
    using PlaceOf = std::function<std::optional<std::string>(const std::string& file)>;
    Closure(fs::path program, const HostLibraries& host, Store& store, PlaceOf place_of_package_file = {});

    /// Searches the texts of files that are going to be added, on all cores.
    void read_ahead(const std::vector<std::string>& files);

    /// Follows the needs of `file`, which goes to `place` in the app tree (or is a library in it).
    Result<void> add(const fs::path& file, const std::string& place);

    const std::vector<ShippedLibrary>& libraries() const { return shipped_; }
    const std::vector<LibraryNeed>& needs() const { return needs_; }
    std::vector<UnfitLibrary> unfit() const;
    std::vector<OtherLoader> other_loaders() const;

  private:
    Result<void> follow(std::size_t first);
    void add_other_name(const std::string& name, const std::string& found);
    std::string found_for(const std::string& name, std::size_t asking) const;
    const std::vector<std::string>& names_in(const std::string& real);

    const HostLibraries& host_;
    Store& store_;
    PlaceOf place_of_package_file_;
    LoaderModel model_;
    std::set<std::string> other_names_; ///< of libraries that have a place already
    std::string program_;               ///< real path
    std::vector<LoadedObject> objects_; ///< of the process that all of it ends up in; names are real paths
    std::map<std::string, std::string> by_name_;  ///< names that were resolved, to real paths
    std::map<std::string, std::string> place_of_; ///< real path to place
    std::set<std::string> followed_;              ///< real paths; the objects' texts are these
    oneapi::tbb::concurrent_unordered_map<std::string, std::vector<std::string>> names_in_; ///< by real path
    std::vector<ShippedLibrary> shipped_;
    std::vector<LibraryNeed> needs_;
};

} // namespace omnistasis::native
