#pragma once

#include "review/licence_list.h"
#include "support/store.h"
#include "trace/graph.h"
#include "trace/runtime.h"

#include <string>
#include <vector>

namespace omnistasis::review {

/// Something that somebody else made and that goes along: the runtime, a package, a package of the system.
struct Component {
    enum class Kind : std::uint8_t { runtime, package, system_package, unknown };
    Kind kind = Kind::package;
    std::string name;
    std::string version{};
    std::string licence{}; ///< an SPDX expression; empty where nothing says it
    std::string said_by{}; ///< what says so: "its licence file", "the project", ...
    std::string url{};     ///< a package URL (purl); empty where its origin is not known
    std::string homepage{};
    std::vector<std::string> licence_files{}; ///< on this machine; their texts go along
};

/// As the list of parts says it: `runtime`, `package`, `system`.
std::string word_of(Component::Kind kind);

struct Components {
    std::vector<Component> all;       ///< sorted by name
    std::vector<std::size_t> of_unit; ///< by unit, the component that it is of; `own` for the application's
    static constexpr std::size_t own = ~std::size_t(0);
};

/// Sorts the units out among components and finds out each one's licence: from the package's own metadata and
/// licence files, and from Debian's copyright files for what the system's packages brought.
Components find_components(const trace::Graph& graph, trace::Runtime& runtime, const LicenceList& licences,
                           Store& store);

/// The text of the notice file: each component with its licence, and the full texts, each once.
std::string notice_text(const Components& components, const std::string& application);

} // namespace omnistasis::review
