#pragma once

#include "runtimes/python/facts.h"

#include <memory>
#include <mutex>
#include <shared_mutex>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

namespace omnistasis::python {

/// Where a module was found.
struct FoundModule {
    enum class Kind { source, bytecode, extension, built_in, namespace_package, absent } kind = Kind::absent;
    bool is_package = false;
    std::string file;                 ///< empty for built-in ones and namespace packages
    std::string root;                 ///< the search path entry below which it was found
    std::vector<std::string> folders; ///< packages: where their submodules are looked for

    explicit operator bool() const { return kind != Kind::absent; }
};

/// Finds modules as the interpreter's own import system does (The Python Language Reference, section 5; PEP
/// 420), reading each folder once. Safe to use from many threads.
class ModuleFinder {
  public:
    /// `search_path` in order of preference; files that would be imported from a folder are taken in the
    /// order package, extension module, source, bytecode.
    ModuleFinder(const Facts& facts, std::vector<std::string> search_path);

    /// Finds a module by its full dotted name.
    const FoundModule& find(const std::string& name);

    /// The full names of all modules that are directly in a package, or on the search path for "".
    std::vector<std::string> modules_in(const std::string& package);

    /// Whether a folder has an entry of that name, by its list, which is read once.
    bool has_entry(const std::string& folder, const std::string& name);

    /// The other files that a top-level module of that name could come from, were the found one not there.
    std::vector<std::string> elsewhere(const std::string& name);

    /// A compiled module of that name for another version or system than the interpreter's; empty where there
    /// is none.
    std::string other_build(const std::string& name);

    /// Whether a name could be that of a module in a package, or of a top-level one for ""; quick, and never
    /// wrong with a no.
    bool may_have(const std::string& package, std::string_view name);

  private:
    struct TextHash {
        using is_transparent = void;
        std::size_t operator()(std::string_view text) const { return std::hash<std::string_view>()(text); }
    };
    struct Folder {
        std::unordered_map<std::string, bool> entries; ///< name to whether it is a folder
    };

    const Folder& folder(const std::string& path);
    FoundModule look_up(const std::string& name);
    FoundModule look_in(const std::vector<std::string>& folders, const std::string& name);

    const Facts& facts_;
    std::vector<std::string> search_path_;
    using Stems = std::unordered_set<std::string, TextHash, std::equal_to<>>;
    std::unordered_map<std::string, std::unique_ptr<Stems>>
        stems_; ///< of all that lies in a package's folders
    std::shared_mutex mutex_;
    std::unordered_map<std::string, std::unique_ptr<Folder>> folders_;
    std::unordered_map<std::string, std::unique_ptr<FoundModule>> found_;
};

} // namespace omnistasis::python
