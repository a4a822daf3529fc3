#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::python {

/// A folder or file that a package reads, and where it goes.
struct LoreData {
    std::vector<std::string>
        from;            ///< candidates, absolute or with {package} and {prefix}; the first that exists
    std::string holding; ///< a file that the right folder has in it; empty where any will do
    std::string to;      ///< a place in the app tree; empty: where it is, beside the module
    std::vector<std::string> only;    ///< patterns of relative paths that go; none: all
    std::vector<std::string> without; ///< patterns of relative paths that stay out
    std::vector<std::string> needed;  ///< patterns of relative paths without which the module does not work
    bool of_system = false;           ///< only for a module that uses the system's own libraries
};

/// What is known of a module that its source does not say (docs/package-lore.md).
struct LoreEntry {
    std::string why;                             ///< why no inference can find it
    std::map<std::string, std::string> versions; ///< distribution, or `python`, to a condition on its version
    std::vector<std::string> systems;            ///< that it holds for: "windows"; empty: all
    std::vector<std::string> include;            ///< modules; `name.*` for all in a package
    std::vector<std::string> libraries; ///< native libraries that it opens by names which it computes
    /// Modules whose source is read as a file, besides being imported.
    std::vector<std::string> as_files;
    /// Modules of which it takes the first that is there, and without which it does not work.
    std::vector<std::string> one_of;
    /// Modules that this one imports in some case that does not come up in a built application.
    std::vector<std::string> leave_out;
    /// Modules, with all below them, that come only with an application that wants them itself: optional
    /// imports in packages do not bring them in.
    std::vector<std::string> on_request;
    /// What it looks for in packages that strings name: ".apps", or ".commands.*" for all in a package.
    std::vector<std::string> parts;
    /// Folders that it reads in packages that strings name, where those have one of the parts.
    std::vector<std::string> part_data;
    /// Modules that are needed when a name occurs anywhere outside of this module: name, modules.
    std::map<std::string, std::vector<std::string>> when_named;
    /// Names that the module makes while it runs, to the modules that they are: `.name` below the module
    /// itself, `name.*` to `other.*` for all below it.
    std::map<std::string, std::string> stands_for;
    std::vector<LoreData> data;
    /// In the text constants of a module: a path of the system, to the place that it has in the app tree.
    std::map<std::string, std::map<std::string, std::string>> moved;
    /// Functions in the module that are called as soon as it has been imported, while its variables are set.
    std::vector<std::string> calls;
    /// Functions of the module during which environment variables are set: function, variable, place.
    std::map<std::string, std::map<std::string, std::string>> during;
};

/// Entries by the module whose presence brings them in.
using Lore = std::multimap<std::string, LoreEntry>;

/// Adds the lore in one file.
Result<void> read_lore_file(const std::filesystem::path& file, Lore& lore);

/// Reads all `*.toml` files in a folder. An error names file, line and what is expected.
Result<Lore> read_lore(const std::filesystem::path& folder);

} // namespace omnistasis::python
