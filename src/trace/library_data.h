#pragma once

#include "native/host_libraries.h"
#include "support/store.h"
#include "trace/graph.h"

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::trace {

/// What native files look for at paths that are compiled into them, and what of it goes along.
struct LibraryData {
    struct Found {
        Unit unit;
        std::string by; ///< the native file that looks for it
    };
    std::vector<Found> found;
    std::map<std::string, std::string> fixed_places; ///< paths, and their places in the app tree
    std::vector<LooseEnd> loose_ends;
};

/// A native file that goes along.
struct NativeFile {
    std::string file;       ///< real path
    std::string name;       ///< that it is asked for by
    bool is_direct = false; ///< the application or a package asks for it, not only another library
};

/// Of those of `natives` from `first` on that are the system's: the files at the paths that their texts hold,
/// as far as they were packaged from the same source or are no package's (lists that are made when packages
/// are installed); and what is known of their plug-ins. Plug-ins that bring much, of what only another
/// library asks for, stay out. Paths that `known` leads somewhere already are passed over. The same source
/// can be told on systems with Debian's lists of packages only.
LibraryData library_data_of(const std::vector<NativeFile>& natives, std::size_t first,
                            const std::map<std::string, std::string>& known,
                            const native::HostLibraries& host, Store& store);

} // namespace omnistasis::trace
