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

/// Of native files of the system, by their real paths with the names that they are asked for by: the files at
/// the paths that their texts hold, as far as they were packaged from the same source or are no package's
/// (lists that are made when packages are installed); and what is known of their plug-ins. Paths that `known`
/// leads somewhere already are passed over. Nothing on systems without Debian's lists of packages.
LibraryData library_data_of(const std::vector<std::pair<std::string, std::string>>& natives,
                            const std::map<std::string, std::string>& known,
                            const native::HostLibraries& host, Store& store);

} // namespace omnistasis::trace
