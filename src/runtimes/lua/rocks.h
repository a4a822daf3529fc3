#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::lua {

/// A package as LuaRocks installed it ("Rockspec format", "Paths and external dependencies" of its
/// documentation): its description, and the files that its manifest lists.
struct Rock {
    std::string name;
    std::string version;
    std::string licence;
    std::string homepage;
    std::string rockspec;           ///< the file
    std::vector<std::string> files; ///< absolute
};

/// The packages in the trees of LuaRocks that hold the folders of modules.
class Rocks {
  public:
    /// `module_folders` are such as TREE/share/lua/5.4; `version` is that of the language.
    Rocks(const std::vector<std::string>& module_folders, const std::string& version);

    const std::vector<Rock>& all() const { return rocks_; }
    /// The one that installed a file; null where none did.
    const Rock* of_file(const std::string& file) const;

  private:
    std::vector<Rock> rocks_;
    std::map<std::string, std::size_t> by_file_;
};

/// The string fields of the tables that a Lua source of assignments holds, as rockspecs and manifests are:
/// "description/license", "rock_manifest/lua/x.lua". Keys of tables in tables are joined with `/`, since
/// names of files hold dots.
std::map<std::string, std::string> fields_of_tables(std::string_view source);

} // namespace omnistasis::lua
