// What somebody wants to know before an application is given away: of which packages it is, and what it reads
// of the environment.
#include "runtimes/node/node_runtime.h"
#include "runtimes/node/scan_cache.h"

#include <algorithm>
#include <map>

namespace omnistasis::node {

namespace {

void add_licence_files(const std::string& folder, std::vector<std::string>& files) {
    for (const FolderEntry& entry : list_folder(folder)) {
        std::string name = entry.name;
        std::ranges::transform(name, name.begin(),
                               [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        bool is_licence =
            name.starts_with("licen") || name.starts_with("copying") || name.starts_with("notice");
        if (!entry.is_folder && is_licence && !name.ends_with(".js"))
            files.push_back(folder + "/" + entry.name);
    }
}

} // namespace

std::vector<trace::Package> NodeRuntime::packages(const std::vector<Unit>& units) {
    std::map<std::string, trace::Package> by_folder;
    std::map<std::string, std::string> folder_of_folder; // of files, to that of the package that they are in
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        if (unit.own || unit.of_runtime || unit.file.empty()) continue;
        std::string start = unit.file.substr(0, unit.file.rfind('/'));
        auto [known, is_new] = folder_of_folder.try_emplace(start);
        if (is_new)
            // A package has a name and a version; parts of one may have a package.json without.
            for (std::string folder = start; folder.size() > 1;
                 folder = folder.substr(0, folder.rfind('/'))) {
                auto package = resolver_.package_in(folder);
                if (!package || package->name.empty() || package->version.empty()) continue;
                known->second = folder;
                break;
            }
        if (known->second.empty()) continue;
        auto [entry, is_first] = by_folder.try_emplace(known->second);
        trace::Package& package = entry->second;
        entry->second.units.push_back(id);
        if (!is_first) continue;
        auto said = resolver_.package_in(known->second);
        package.name = said->name;
        package.version = said->version;
        package.type = "npm";
        package.licence_expression = said->licence;
        if (!said->licence.empty()) package.licence_names.push_back(said->licence);
        package.homepage = said->homepage;
        package.metadata_file = said->file;
        add_licence_files(known->second, package.licence_files);
    }
    // One that is there in several places is one package.
    std::map<std::pair<std::string, std::string>, trace::Package> merged;
    for (auto& [folder, package] : by_folder) {
        auto [entry, is_new] = merged.try_emplace({package.name, package.version}, package);
        if (!is_new)
            entry->second.units.insert(entry->second.units.end(), package.units.begin(), package.units.end());
    }
    std::vector<trace::Package> list;
    for (auto& [name, package] : merged) list.push_back(std::move(package));
    return list;
}

trace::Package NodeRuntime::own_package() {
    trace::Package package{"node", facts_.version,       "generic",      "", {"MIT"},
                           {},     "https://nodejs.org", facts_.program, {}};
    std::string folder = facts_.program.substr(0, facts_.program.rfind('/'));
    add_licence_files(folder, package.licence_files);
    add_licence_files(folder.substr(0, folder.rfind('/')), package.licence_files);
    return package;
}

std::vector<trace::VariableRead> NodeRuntime::variables_read(const Unit& unit) {
    auto scan = unit.kind == UnitKind::script ? scan_file(unit.file, *store_) : std::nullopt;
    return scan ? scan->variables : std::vector<trace::VariableRead>();
}

/// When a module is loaded shows in the source only where it is required: nothing is said of what could wait.
std::vector<trace::EarlyImport> NodeRuntime::imports_that_could_wait(const Unit&) { return {}; }

} // namespace omnistasis::node
