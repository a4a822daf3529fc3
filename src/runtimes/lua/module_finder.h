#pragma once

#include "runtimes/lua/lua_facts.h"

#include <mutex>
#include <string>
#include <unordered_map>
#include <vector>

namespace omnistasis::lua {

struct FoundModule {
    enum class Kind : std::uint8_t { absent, built_in, source, extension };
    Kind kind = Kind::absent;
    std::string name; ///< of a part of a C module that holds several, the whole one's
    std::string file;
    explicit operator bool() const { return kind != Kind::absent; }
};

/// Finds modules as `require` does (reference manual, `package.searchers`): templates in which the name, with
/// a slash for each dot, stands for the question mark. Safe to call from many threads.
class ModuleFinder {
  public:
    /// `folders` stand for the folder that the application is started in from source: relative templates are
    /// looked for in each.
    ModuleFinder(const Facts& facts, std::vector<std::string> folders);

    /// Adds templates that the application itself puts into package.path or package.cpath. Not while others
    /// search.
    void add(const std::string& templates, bool of_c);

    const FoundModule& find(const std::string& name);

    /// The modules whose names fit one in which `unknown` (scanner.h) stands for any text; sorted.
    std::vector<std::string> matching(const std::string& name);

    /// A C module of that name that is for another version of Lua; empty where there is none.
    std::string for_other_version(const std::string& name) const;

    /// The folders that the templates lead to, absolute, without a slash at the end: first those of Lua
    /// modules, then those of C modules.
    const std::vector<std::string>& roots() const { return roots_; }

    /// What stands in front of and behind the question mark of the templates that the search begins with,
    /// without those that the application added; absolute, in order.
    std::vector<std::pair<std::string, std::string>> templates(bool of_c) const;

  private:
    struct Template {
        std::string before, behind; ///< of the question mark
        bool of_c = false;
        bool is_added = false; ///< by the application itself
    };
    void add_one(const std::string& text, bool of_c, bool is_added = false);
    FoundModule look_for(const std::string& name) const;
    std::string file_of(const std::string& name, bool of_c) const;

    const Facts& facts_;
    std::vector<std::string> folders_;
    std::vector<Template> templates_;
    std::vector<std::string> roots_;
    std::mutex mutex_;
    std::unordered_map<std::string, FoundModule> known_;
};

} // namespace omnistasis::lua
