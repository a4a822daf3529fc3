#include "runtimes/lua/rocks.h"

#include "runtimes/lua/lexer.h"
#include "support/files.h"

#include <set>

namespace omnistasis::lua {

std::map<std::string, std::string> fields_of_tables(std::string_view source) {
    std::map<std::string, std::string> fields;
    std::vector<Token> tokens = tokens_of(source);
    std::vector<std::string> keys; // of the tables that are open
    std::string key;
    for (std::size_t i = 0; i < tokens.size(); ++i) {
        const Token& token = tokens[i];
        auto next_is = [&](std::size_t ahead, std::string_view sign) {
            return i + ahead < tokens.size() && tokens[i + ahead].is(sign);
        };
        if (token.kind != Token::Kind::sign && next_is(1, "=")) {
            key = token.text;
            ++i;
        } else if (token.is("[") && next_is(2, "]") && next_is(3, "=")) {
            key = tokens[i + 1].text;
            i += 3;
        } else if (token.is("{")) {
            keys.push_back(key);
            key.clear();
        } else if (token.is("}")) {
            if (!keys.empty()) keys.pop_back();
        } else if (token.kind == Token::Kind::string) {
            std::string path;
            for (const std::string& one : keys) path += one + "/";
            fields.emplace(path + key, token.text);
            key.clear();
        }
    }
    return fields;
}

namespace {

std::optional<Rock> read_rock(const std::string& tree, const std::string& folder, const std::string& name,
                              const std::string& lua_version) {
    Rock rock;
    rock.name = name;
    rock.version = base_name(folder);
    rock.rockspec = folder + "/" + name + "-" + rock.version + ".rockspec";
    auto spec = read_text(rock.rockspec), manifest = read_text(folder + "/rock_manifest");
    if (!spec || !manifest) return std::nullopt;
    auto said = fields_of_tables(*spec);
    rock.licence = said["description/license"];
    rock.homepage = said["description/homepage"];
    for (const auto& [path, hash] : fields_of_tables(*manifest))
        for (const auto& [part, place] :
             {std::pair{"rock_manifest/lua/", "/share/lua/"}, std::pair{"rock_manifest/lib/", "/lib/lua/"}})
            if (path.starts_with(part))
                rock.files.push_back(tree + place + lua_version + "/" +
                                     path.substr(std::string(part).size()));
    return rock;
}

} // namespace

Rocks::Rocks(const std::vector<std::string>& module_folders, const std::string& version) {
    std::set<std::string> trees;
    for (const std::string& folder : module_folders)
        for (const std::string& inner : {"/share/lua/" + version, "/lib/lua/" + version})
            if (folder.ends_with(inner)) trees.insert(folder.substr(0, folder.size() - inner.size()));
    for (const std::string& tree : trees) {
        std::string installed = tree + "/lib/luarocks/rocks-" + version;
        for (const FolderEntry& rock : list_folder(installed))
            for (const FolderEntry& one : list_folder(installed + "/" + rock.name))
                if (auto read =
                        read_rock(tree, installed + "/" + rock.name + "/" + one.name, rock.name, version))
                    rocks_.push_back(std::move(*read));
    }
    for (std::size_t i = 0; i < rocks_.size(); ++i)
        for (const std::string& file : rocks_[i].files) by_file_.try_emplace(file, i);
}

const Rock* Rocks::of_file(const std::string& file) const {
    auto known = by_file_.find(file);
    return known == by_file_.end() ? nullptr : &rocks_[known->second];
}

} // namespace omnistasis::lua
