#include "runtimes/python/tree_files.h"

#include "project/assets.h"
#include "runtimes/python/module_store.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// What a module's file holds where its code is in the store: a line, as some that read sources expect one.
constexpr const char* placeholder = "\n";

/// A source that runs another, as if that were a file of this name.
std::string under_another_name(std::string_view source, std::string_view name) {
    std::string text;
    for (char c : source) {
        if (c == '\\' || c == '"') text += '\\';
        text += c;
    }
    return fmt::format("exec(compile(\"\"\"{}\"\"\", \"{}\", \"exec\"))\n", text, name);
}

} // namespace

/// Of a file of another system's: what lies at its place on this machine's search path; empty: nothing.
std::string TreeFiles::twin_of(const std::string& file) const {
    if (!ground_.here) return {};
    std::string inner;
    for (const std::string& folder : ground_.facts.search_path) {
        std::string way = relative_to(file, folder);
        if (!way.empty() && (inner.empty() || way.size() < inner.size())) inner = std::move(way);
    }
    if (inner.empty()) return {};
    for (const std::string& folder : ground_.here->facts.search_path)
        if (std::string there = folder + "/" + inner; is_file(there)) return there;
    return {};
}

/// Whether a module of a package shows in the tree as a file.
bool TreeFiles::shows_itself(const Unit& unit) {
    if (unit.own || unit.of_runtime || !unit.place.ends_with(".py") || gathered_.shows_modules.empty())
        return false;
    const Distribution* owner = ground_.installed.owner_of(unit.file);
    return owner != nullptr &&
           (gathered_.shows_modules.contains(owner->name) ||
            gathered_.shows_modules.contains(every_distribution)) &&
           !gathered_.with_source.contains(unit.name);
}

Result<std::vector<trace::MadeFile>> TreeFiles::make_files(const std::vector<Unit>& units, unsigned jobs,
                                                           Observer& observer) {
    BootConfig config;
    bool compiles = ground_.facts.compiles();
    config.sources = !compiles;
    config.main_place = ground_.main_unit().place;
    config.main_folder = ground_.places.of_root(ground_.entry.folder);
    config.entry_module = ground_.main_module();
    if (ground_.entry.kind == Entry::Kind::function)
        config.called = ground_.entry.module + ":" + ground_.entry.function;
    config.interpreter = ground_.interpreter_place();
    config.path = {config.main_folder, ground_.places.library(), ground_.places.extensions(),
                   ground_.places.site_packages()};
    config.path.insert(config.path.end(), ground_.places.inner_roots().begin(),
                       ground_.places.inner_roots().end());
    config.library_folders.assign(gathered_.library_folders.begin(), gathered_.library_folders.end());

    config.program_has_icon =
        system_of(ground_.facts.target) == System::windows && !ground_.project.icon.empty();
    config.moved = gathered_.moved;
    config.installed = !ground_.installed_files.empty();
    // Programs that the system installed look for their data in the folders that it has for all of them.
    if (std::ranges::any_of(ground_.installed_files,
                            [](const std::string& file) { return file.starts_with("/usr/share/"); }))
        config.during["__main__"]["import"]["XDG_DATA_DIRS"] = "share, then /usr/local/share:/usr/share";

    if (gathered_.carries_programs || !ground_.project.programs.empty()) config.programs = programs_place;

    int optimize = ground_.project.drop_docstrings ? 2 : 0;
    std::vector<Unit> modules;
    std::vector<StoredName> names;
    std::vector<ModuleStore::Source> sources;
    for (const Unit& unit : units) {
        std::size_t number = 0;
        for (const LoreEntry* lore_entry : ground_.lore_of(unit.name)) {
            if (gathered_.idle_lore.contains(fmt::format("{}/{}", unit.name, number++))) continue;
            for (const auto& [function, variables] : lore_entry->during) {
                bool is_whole_run = function == "program";
                auto& during =
                    is_whole_run ? config.during["__main__"]["import"] : config.during[unit.name][function];
                during.insert(variables.begin(), variables.end());
            }
            if (!lore_entry->calls.empty()) config.calls[unit.name] = lore_entry->calls;
            for (const auto& [module, paths] : lore_entry->moved)
                config.moved[module == "{build_data}" ? ground_.facts.build_data : module].insert(
                    paths.begin(), paths.end());
        }
        if (unit.kind == UnitKind::extension) {
            names.push_back({unit.name, unit.kind, unit.place, {}});
        } else if (unit.kind == UnitKind::folder) {
            StoredName name{unit.name, unit.kind, {}, {}};
            const FoundModule& found = ground_.finder.find(unit.name);
            for (const std::string& folder : found.folders)
                name.folders.push_back(ground_.places.of(folder, found.root));
            names.push_back(std::move(name));
        } else if (unit.kind == UnitKind::code) {
            // The interpreter has the code of its frozen modules in itself.
            if (ground_.facts.frozen.contains(unit.name) && !unit.own) continue;
            sources.push_back({unit.file, unit.place, optimize, unit.own, twin_of(unit.file)});
            modules.push_back(unit);
        }
    }
    // Besides the modules: our own three.
    std::size_t count = sources.size();
    std::string library = ground_.places.library();
    // Under the name of the import system's own code: warnings and tracebacks pass over our frames as over
    // its.
    std::string shown_as = "<frozen importlib._bootstrap_external>";
    sources.push_back({(ground_.helpers / "boot.py").string(), shown_as, 0, true});
    sources.push_back({(ground_.helpers / "main.py").string(), library + "/_omnistasis_main.py", 0, true});
    sources.push_back({(ground_.helpers / "first.py").string(), shown_as, 0, true});

    ModuleStore store(ground_.facts, ground_.helpers, ground_.store);
    auto compiled = compiles ? store.compile(sources, jobs, observer) : ModuleStore::as_they_are(sources);
    if (!compiled) return pass_on(compiled);

    std::vector<trace::MadeFile> files;
    std::vector<ModuleStore::Module> kept;
    std::set<std::string> shown;
    for (std::size_t i = 0; i < count; ++i) {
        ModuleStore::Compiled& code = (*compiled)[i];
        if (!code.error.empty()) {
            // Packages carry files for other versions that never get imported; the application's own are no
            // such.
            if (!modules[i].own) continue;
            // What nothing reaches may be there for another version, or to be filled in: it goes along as it
            // is.
            if (modules[i].name != "__main__" && !gathered_.imported.contains(modules[i].name)) {
                if (auto source = read_text(modules[i].file))
                    files.push_back({modules[i].place, std::move(*source), 0644, {}, {}, true});
                continue;
            }
            return fail(ErrorKind::bad_input, "a source file of the application can't be compiled",
                        fmt::format("{}:{}", sources[i].file, code.error_line), code.error,
                        fmt::format("leave it out with --exclude {} if it is not needed", modules[i].name));
        }
        // The interpreter looks for it before our finder is there, so a file in its place brings that, and
        // then runs the code that the store has of it.
        if (modules[i].name == "encodings")
            files.push_back({library + "/encodings/__init__" + ground_.module_suffix(),
                             store.module_file(compiled->back().code), 0644});
        // Whoever lists folders or joins paths finds the module by its name. An own one can be run from
        // there: the interpreter takes bytecode whatever the file is called.
        bool runs_from_file = modules[i].own && !ground_.project.sources && !gathered_.reads_own_sources &&
                              modules[i].place.ends_with(".py");
        bool is_shown = runs_from_file || shows_itself(modules[i]);
        if (is_shown && shown.insert(modules[i].place).second) // a module may have two names
            files.push_back({modules[i].place,
                             runs_from_file ? store.module_file(code.code) : placeholder,
                             0644,
                             {},
                             {},
                             true});
        kept.push_back({modules[i], std::move(code.code)});
    }
    const std::string& boot = (*compiled)[count].code;
    const std::string& main = (*compiled)[count + 1].code;
    files.push_back({library + "/_omnistasis" + ground_.module_suffix(),
                     compiles ? store.module_file(boot) : under_another_name(boot, sources[count].shown_as),
                     0644});
    files.push_back({library + "/_omnistasis_main" + ground_.module_suffix(), store.module_file(main), 0644});
    // The landmarks by which the interpreter knows its own tree.
    files.push_back({library + "/os.pyc", "", 0644});
    files.push_back({ground_.places.extensions() + "/.landmark", "", 0644});
    ModuleStore::Packed packed = ModuleStore::pack(std::move(kept), names, config);
    files.push_back({library + "/modules.store", std::move(packed.content), 0644, std::move(packed.cuts),
                     std::move(packed.shares)});
    return files;
}

} // namespace omnistasis::python
