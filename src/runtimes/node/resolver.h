#pragma once

#include "runtimes/node/package_json.h"

#include <memory>
#include <mutex>
#include <string>
#include <string_view>
#include <unordered_map>
#include <unordered_set>
#include <vector>

namespace omnistasis::node {

/// What a specifier leads to.
struct Found {
    enum class Kind : std::uint8_t {
        file,
        built_in,  ///< part of the runtime
        absent,    ///< there is nothing
        forbidden, ///< the package is there, and its `exports` do not give the path
        broken,    ///< a package.json on the way can't be read
    };
    Kind kind = Kind::absent;
    std::string file; ///< real path
    std::string via;  ///< the path before links were followed
    std::string why;  ///< of what is forbidden or broken
    std::string why_file;
    std::uint32_t why_line = 0;
};

/// Whether a name is one of the runtime's own modules, with or without `node:`.
bool is_built_in(std::string_view name);

/// The name of the package in a bare specifier: "a", "@a/b"; empty where it is none.
std::string package_name(std::string_view specifier);

/// Finds files by the algorithms of the Node.js documentation: "Modules: CommonJS modules, All together" and
/// "Modules: ECMAScript modules, Resolution Algorithm Specification". Safe on many threads; what was looked
/// at once is remembered.
class Resolver {
  public:
    /// `version` is the runtime's: newer ones know more conditions.
    explicit Resolver(const std::string& version);

    /// `from` is the real path of the file that asks; `is_import` whether by an import.
    Found resolve(const std::string& specifier, const std::string& from, bool is_import);

    /// LOAD_AS_FILE, then LOAD_AS_DIRECTORY.
    Found find_file(const std::string& path);

    /// The package.json that a file belongs to: the nearest one above; null where there is none.
    std::shared_ptr<const PackageJson> scope_of(const std::string& folder);

    /// The package.json in a folder itself.
    std::shared_ptr<const PackageJson> package_in(const std::string& folder);

    /// The folder of an installed package as a file finds it; empty where it is not there.
    std::string package_folder(const std::string& name, const std::string& from);

    bool has_file(const std::string& path);
    bool has_folder(const std::string& path);
    /// The path without links.
    std::string real(const std::string& path);

    /// What is in a folder, links followed.
    struct Listing {
        struct Entry {
            bool is_folder = false;
            bool is_link = false; ///< to that; or it is not known whether
        };
        std::unordered_map<std::string, Entry> entries; ///< by name
    };
    std::shared_ptr<const Listing> list(const std::string& folder);

  private:
    Found as_file(const std::string& path, bool exact_only = false);
    Found as_folder(const std::string& path);
    Found exported(const PackageJson& package, const std::string& subpath, bool is_import);
    Found target(const PackageJson& package, const Json& value, const std::string& match, bool is_pattern,
                 bool internal, bool is_import, int depth);
    Found from_map(const PackageJson& package, const Json& map, const std::string& key, bool internal,
                   bool is_import);
    Found in_packages(const std::string& specifier, const std::string& from, bool is_import);
    Found found(const std::string& path);
    static Found broken(const PackageJson& package);

    template <typename Value, typename Make>
    Value remembered(std::unordered_map<std::string, Value>& map, const std::string& key, Make make);

    bool has_module_sync_ = false; ///< the condition of modules that can be required as well
    std::mutex mutex_;
    std::unordered_map<std::string, std::shared_ptr<const Listing>> listings_;
    std::unordered_map<std::string, std::shared_ptr<const PackageJson>> packages_;
    std::unordered_map<std::string, std::string> real_folders_;
};

} // namespace omnistasis::node
