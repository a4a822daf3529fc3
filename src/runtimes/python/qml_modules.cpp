// QML modules: those that the application's documents import, and what these import in turn.
#include "runtimes/python/qml_modules.h"

#include "runtimes/python/qml_imports.h"
#include "support/target_info.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// The folders that a QML module may lie in, below the folder of all: with and without the version in a name.
std::vector<std::string> folders_of(const std::string& module) {
    std::string path = module;
    std::ranges::replace(path, '.', '/');
    std::vector<std::string> folders{path, path + ".2"};
    if (std::size_t slash = path.find('/'); slash != std::string::npos)
        folders.push_back(path.substr(0, slash) + ".2" + path.substr(slash));
    return folders;
}

} // namespace

/// The folder of all QML modules that the toolkit in use brings, and what it goes to in the tree.
std::pair<std::string, std::string> QmlModules::qml_root(const UnitIds& ids) {
    for (const char* binding : {"PySide6", "PyQt6", "PyQt5", "PySide2"}) {
        if (!ids.contains(std::string(binding) + ".QtQml")) continue;
        const FoundModule& found = ground_.finder.find(binding);
        for (const std::string& package : found.folders)
            for (const char* inner : {"/Qt/qml", "/Qt6/qml", "/Qt5/qml", "/qml"})
                if (is_folder(package + inner))
                    return {package + inner, ground_.places.of(package + inner, found.root)};
        std::string version = std::string_view(binding).ends_with('6') ? "qt6" : "qt5";
        for (const std::string& libraries : library_folders(host_info())) {
            std::string folder = fmt::format("{}/{}/qml", libraries, version);
            if (is_folder(folder)) return {folder, "lib/qt/qml"};
        }
    }
    return {};
}

void QmlModules::settle_qml(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    auto [root, place] = qml_root(ids);
    for (; !root.empty() && seen_qml_ < units.size(); ++seen_qml_) {
        const Unit& unit = units[seen_qml_];
        bool is_definition = unit.file.ends_with("/qmldir");
        if (unit.kind != UnitKind::data || (!is_definition && !unit.file.ends_with(".qml"))) continue;
        auto text = read_text(unit.file);
        if (!text) continue;
        auto id = static_cast<trace::UnitId>(seen_qml_);
        for (const std::string& module : is_definition ? qmldir_imports(*text) : qml_imports(*text)) {
            // What can't be found here is the application's own, or made by its code.
            for (const std::string& folder : folders_of(module)) {
                if (!is_folder(root + "/" + folder) || !qml_modules_.insert(folder).second) continue;
                for (const FolderEntry& entry : list_folder(root + "/" + folder)) {
                    std::string inner = folder + "/" + entry.name;
                    std::vector<std::string> files{inner};
                    if (entry.is_folder) {
                        // A folder with a definition is a module of its own.
                        if (is_there(root + "/" + inner + "/qmldir")) continue;
                        files.clear();
                        for (const FolderEntry& deeper : list_folder(root + "/" + inner))
                            if (!deeper.is_folder) files.push_back(inner + "/" + deeper.name);
                    }
                    for (const std::string& file : files) {
                        if (file.ends_with(".qmltypes")) continue; // for editors
                        needs.emplace_back(
                            id, Need{file_unit(kind_by_name(file), root + "/" + file, place + "/" + file),
                                     {"imports the QML module of", unit.file, 0, true}});
                    }
                }
            }
        }
    }
}

} // namespace omnistasis::python
