#include "runtimes/python/module_finder.h"

#include "support/files.h"

#include <algorithm>
#include <set>

namespace omnistasis::python {

ModuleFinder::ModuleFinder(const Facts& facts, std::vector<std::string> search_path)
    : facts_(facts), search_path_(std::move(search_path)) {}

const ModuleFinder::Folder& ModuleFinder::folder(const std::string& path) {
    {
        std::shared_lock lock(mutex_);
        if (auto known = folders_.find(path); known != folders_.end()) return *known->second;
    }
    auto content = std::make_unique<Folder>();
    for (FolderEntry& entry : list_folder(path))
        content->entries.emplace(std::move(entry.name), entry.is_folder);
    std::unique_lock lock(mutex_);
    return *folders_.try_emplace(path, std::move(content)).first->second;
}

const FoundModule& ModuleFinder::find(const std::string& name) {
    {
        std::shared_lock lock(mutex_);
        if (auto known = found_.find(name); known != found_.end()) return *known->second;
    }
    auto found = std::make_unique<FoundModule>(look_up(name));
    std::unique_lock lock(mutex_);
    return *found_.try_emplace(name, std::move(found)).first->second;
}

FoundModule ModuleFinder::look_up(const std::string& name) {
    std::size_t dot = name.rfind('.');
    if (dot != std::string::npos) {
        const FoundModule& parent = find(name.substr(0, dot));
        if (!parent.is_package) return {};
        FoundModule found = look_in(parent.folders, name.substr(dot + 1));
        if (found.root.empty() || !parent.root.empty()) found.root = parent.root;
        return found;
    }
    FoundModule found;
    if (facts_.built_in.contains(name)) {
        found.kind = FoundModule::Kind::built_in;
        return found;
    }
    if (auto mapped = facts_.editable.find(name); mapped != facts_.editable.end()) {
        fs::path path = mapped->second;
        found = look_in({path.parent_path().string()}, path.stem().string());
        if (found) return found;
    }
    return look_in(search_path_, name);
}

FoundModule ModuleFinder::look_in(const std::vector<std::string>& folders, const std::string& name) {
    FoundModule portions;
    for (const std::string& path : folders) {
        const Folder& content = folder(path);
        auto file_with = [&](const std::string& in, const Folder& entries, const std::string& stem) {
            FoundModule found;
            auto take = [&](const std::string& suffix, FoundModule::Kind kind) {
                auto entry = entries.entries.find(stem + suffix);
                if (found || entry == entries.entries.end() || entry->second) return;
                found.kind = kind;
                found.file = in + "/" + stem + suffix;
            };
            for (const std::string& suffix : facts_.extension_suffixes)
                take(suffix, FoundModule::Kind::extension);
            take(".py", FoundModule::Kind::source);
            take(".pyc", FoundModule::Kind::bytecode);
            return found;
        };
        auto entry = content.entries.find(name);
        bool is_folder = entry != content.entries.end() && entry->second;
        if (is_folder) {
            std::string inner = path + "/" + name;
            FoundModule package = file_with(inner, folder(inner), "__init__");
            if (package) {
                package.is_package = true;
                package.folders = {inner};
                package.root = path;
                return package;
            }
        }
        FoundModule module = file_with(path, content, name);
        bool is_unloadable = path == facts_.extensions && facts_.unloadable.contains(name);
        if (module && !is_unloadable) {
            module.root = path;
            return module;
        }
        if (is_folder) {
            portions.kind = FoundModule::Kind::namespace_package;
            portions.is_package = true;
            portions.folders.push_back(path + "/" + name);
            if (portions.root.empty()) portions.root = path;
        }
    }
    return portions;
}

std::vector<std::string> ModuleFinder::elsewhere(const std::string& name) {
    std::vector<std::string> files;
    const std::string& taken = find(name).file;
    for (const std::string& path : search_path_) {
        FoundModule other = look_in({path}, name);
        if (!other.file.empty() && other.file != taken) files.push_back(other.file);
        // Beside a package, a module of the same name is never looked at.
        if (other.is_package && has_entry(path, name + ".py")) files.push_back(path + "/" + name + ".py");
    }
    return files;
}

bool ModuleFinder::has_entry(const std::string& path, const std::string& name) {
    return folder(path).entries.contains(name);
}

std::string ModuleFinder::other_build(const std::string& name) {
    std::size_t dot = name.rfind('.');
    const std::vector<std::string>& folders =
        dot == std::string::npos ? search_path_ : find(name.substr(0, dot)).folders;
    std::string start = name.substr(dot == std::string::npos ? 0 : dot + 1) + ".";
    for (const std::string& path : folders)
        for (const auto& [entry, is_folder] : folder(path).entries) {
            bool compiled = entry.ends_with(".so") || entry.ends_with(".pyd") || entry.ends_with(".dylib");
            if (!is_folder && compiled && entry.starts_with(start)) return path + "/" + entry;
        }
    return {};
}

bool ModuleFinder::may_have(const std::string& package, std::string_view name) {
    {
        std::shared_lock lock(mutex_);
        if (auto known = stems_.find(package); known != stems_.end()) return known->second->contains(name);
    }
    auto stems = std::make_unique<Stems>();
    for (const std::string& path : package.empty() ? search_path_ : find(package).folders)
        for (const auto& [entry, is_folder] : folder(path).entries)
            stems->insert(entry.substr(0, entry.find('.')));
    if (package.empty()) {
        stems->insert(facts_.built_in.begin(), facts_.built_in.end());
        for (const auto& [module, path] : facts_.editable) stems->insert(module);
    }
    std::unique_lock lock(mutex_);
    return stems_.try_emplace(package, std::move(stems)).first->second->contains(name);
}

std::vector<std::string> ModuleFinder::modules_in(const std::string& package) {
    std::set<std::string> names;
    const std::vector<std::string>& folders = package.empty() ? search_path_ : find(package).folders;
    std::string prefix = package.empty() ? "" : package + ".";
    for (const std::string& path : folders)
        for (const auto& [name, is_folder] : folder(path).entries) {
            std::string stem = name.substr(0, name.find('.'));
            bool is_name =
                !stem.empty() && stem != "__init__" && stem != "__pycache__" &&
                stem.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_") ==
                    std::string::npos;
            if (is_name && (!is_folder || stem == name)) names.insert(prefix + stem);
        }
    std::vector<std::string> modules;
    for (const std::string& name : names) {
        const FoundModule& found = find(name);
        bool real = found && found.kind != FoundModule::Kind::namespace_package;
        // A folder without Python files is no package that anybody walks to.
        if (real || (found && !package.empty() && !modules_in(name).empty())) modules.push_back(name);
    }
    return modules;
}

} // namespace omnistasis::python
