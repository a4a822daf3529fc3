#include "runtimes/lua/module_finder.h"

#include "runtimes/lua/scanner.h"
#include "support/files.h"
#include "support/pattern.h"
#include "support/text.h"
#include "support/witness.h"

#include <algorithm>
#include <functional>
#include <set>

namespace omnistasis::lua {

namespace {

std::string with_slashes(std::string name) {
    std::ranges::replace(name, '.', '/');
    return name;
}

} // namespace

ModuleFinder::ModuleFinder(const Facts& facts, std::vector<std::string> folders)
    : facts_(facts), folders_(std::move(folders)) {
    for (const std::string& one : facts.path) add_one(one, false);
    for (const std::string& one : facts.c_path) add_one(one, true);
    // Where LuaRocks puts packages of a project and of a user, whether or not the shell was told.
    std::vector<std::string> trees;
    for (const std::string& folder : folders_) trees.push_back(folder + "/lua_modules");
    if (const char* home = std::getenv("HOME")) trees.push_back(std::string(home) + "/.luarocks");
    for (const std::string& tree : trees) {
        if (!is_folder(tree)) continue;
        add_one(tree + "/share/lua/" + facts.version + "/?.lua", false);
        add_one(tree + "/share/lua/" + facts.version + "/?/init.lua", false);
        add_one(tree + "/lib/lua/" + facts.version + "/?.so", true);
    }
}

void ModuleFinder::add(const std::string& templates, bool of_c) {
    each_part(templates, ';', [&](std::string_view one) {
        if (one.find(unknown) == std::string_view::npos && one.find(path_before) == std::string_view::npos)
            add_one(std::string(one), of_c, true);
    });
    known_.clear();
}

std::vector<std::pair<std::string, std::string>> ModuleFinder::templates(bool of_c) const {
    std::vector<std::pair<std::string, std::string>> all;
    for (const Template& one : templates_)
        if (one.of_c == of_c && !one.is_added) all.emplace_back(one.before, one.behind);
    return all;
}

void ModuleFinder::add_one(const std::string& text, bool of_c, bool is_added) {
    std::size_t mark = text.find('?');
    if (mark == std::string::npos) return; // "loadall.so": what it holds has no name of its own
    std::vector<std::string> whole{text};
    if (!text.starts_with('/')) {
        whole.clear();
        for (const std::string& folder : folders_)
            whole.push_back(folder + "/" + (text.starts_with("./") ? text.substr(2) : text));
    }
    for (const std::string& one : whole) {
        mark = one.find('?');
        Template made{one.substr(0, mark), one.substr(mark + 1), of_c, is_added};
        made.before = fs::path(made.before).lexically_normal().string();
        bool known = std::ranges::any_of(templates_, [&](const Template& other) {
            return other.before == made.before && other.behind == made.behind && other.of_c == of_c;
        });
        if (known) continue;
        std::string root = made.before.substr(0, made.before.rfind('/'));
        if (std::ranges::find(roots_, root) == roots_.end()) roots_.push_back(root);
        templates_.push_back(std::move(made));
    }
}

std::string ModuleFinder::file_of(const std::string& name, bool of_c) const {
    std::string path = with_slashes(name);
    for (const Template& one : templates_) {
        if (one.of_c != of_c) continue;
        std::string file = one.before + path;
        // The name may stand again behind the first mark.
        for (char c : one.behind) file += c == '?' ? path : std::string(1, c);
        Witness::saw(file);
        if (is_file(file)) return file;
    }
    return {};
}

FoundModule ModuleFinder::look_for(const std::string& name) const {
    if (facts_.built_in.contains(name)) return {FoundModule::Kind::built_in, name, {}};
    if (std::string file = file_of(name, false); !file.empty())
        return {FoundModule::Kind::source, name, file};
    // What is in front of a hyphen is a version, and part of the file's name only.
    if (std::string file = file_of(name, true); !file.empty())
        return {FoundModule::Kind::extension, name, file};
    // Several modules may be in the file of the first part of the name.
    std::string root = name.substr(0, name.find('.'));
    if (root.size() < name.size())
        if (std::string file = file_of(root, true); !file.empty())
            return {FoundModule::Kind::extension, root, file};
    return {};
}

const FoundModule& ModuleFinder::find(const std::string& name) {
    {
        std::lock_guard lock(mutex_);
        if (auto known = known_.find(name); known != known_.end()) return known->second;
    }
    FoundModule found;
    bool is_name = !name.empty() && name.size() < 200 && name.find('/') == std::string::npos &&
                   name.find('\0') == std::string::npos && name.find("..") == std::string::npos;
    if (is_name) found = look_for(name);
    std::lock_guard lock(mutex_);
    return known_.try_emplace(name, std::move(found)).first->second;
}

std::vector<std::string> ModuleFinder::matching(const std::string& name) {
    constexpr int deepest = 3;
    constexpr std::size_t most = 2000;
    std::string pattern;
    for (char c : name) pattern += c == unknown ? '*' : c;
    std::string inside = name.substr(0, name.find(unknown));
    inside = inside.substr(0, inside.find_last_of('.') == std::string::npos ? 0 : inside.find_last_of('.'));
    std::set<std::string> names;
    std::function<void(const std::string&, const std::string&, int)> walk =
        [&](const std::string& folder, const std::string& prefix, int depth) {
            if (depth > deepest || names.size() > most) return;
            for (const FolderEntry& entry : list_folder(folder)) {
                if (entry.name.starts_with('.')) continue;
                std::string stem = entry.name.substr(0, entry.name.rfind('.'));
                if (entry.is_folder) {
                    if (is_file(folder + "/" + entry.name + "/init.lua")) names.insert(prefix + entry.name);
                    walk(folder + "/" + entry.name, prefix + entry.name + ".", depth + 1);
                } else if (stem != "init" && (entry.name.ends_with(".lua") || entry.name.ends_with(".so"))) {
                    names.insert(prefix + stem);
                }
            }
        };
    for (const std::string& root : roots_)
        walk(inside.empty() ? root : root + "/" + with_slashes(inside), inside.empty() ? "" : inside + ".",
             inside.empty() ? deepest : 0);
    std::vector<std::string> fitting;
    for (const std::string& one : names)
        if (fits_pattern(one, pattern) && find(one)) fitting.push_back(one);
    return fitting;
}

std::string ModuleFinder::for_other_version(const std::string& name) const {
    for (const char* version : {"5.1", "5.2", "5.3", "5.4"})
        for (const Template& one : templates_) {
            std::size_t at = one.before.rfind("/" + facts_.version + "/");
            if (!one.of_c || version == facts_.version || at == std::string::npos) continue;
            std::string file = one.before;
            file.replace(at + 1, facts_.version.size(), version);
            file += with_slashes(name) + one.behind;
            if (is_file(file)) return file;
        }
    return {};
}

} // namespace omnistasis::lua
