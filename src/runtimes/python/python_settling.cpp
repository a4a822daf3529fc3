#include "runtimes/python/package_data.h"
#include "runtimes/python/python_runtime.h"
#include "runtimes/python/text_kinds.h"

#include <algorithm>
#include <span>
#include <unordered_map>

namespace omnistasis::python {

namespace {

/// Whether a module's source has a name as a word: "mpv.exe" is no class of a module `mpv`.
bool has_word(const FoundModule& module, std::string_view name) {
    auto source = module.kind == FoundModule::Kind::source ? MappedFile::open(module.file)
                                                           : tl::make_unexpected(Error());
    if (!source) return true;
    std::string_view text = source->text();
    for (std::size_t at = text.find(name); at != std::string_view::npos; at = text.find(name, at + 1)) {
        std::size_t end = at + name.size();
        if ((at == 0 || !is_name_char(text[at - 1])) && (end == text.size() || !is_name_char(text[end])))
            return true;
    }
    return false;
}

} // namespace

/// "pkg.mod", "pkg.mod.Class" or "pkg.mod:function", where the module exists.
void PythonRuntime::want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out) {
    std::string name = string.text.substr(0, string.text.find(':'));
    // ".tides" means a neighbour: import_module(".tides", __package__)
    if (name.starts_with('.')) {
        std::string package = finder_.find(scanned.name).is_package ? scanned.name : parent_of(scanned.name);
        if (package.empty() || !scanned.result.imports_by_name) return;
        // ".tides.Table" is a class in it.
        std::string whole = package + name;
        while (whole.size() > package.size() && !finder_.find(whole)) whole = parent_of(whole);
        if (whole.size() > package.size()) want(whole, {"names", scanned.file, string.line, true}, out);
        return;
    }
    // A package that names its tests means to run them.
    if (!scanned.own && is_passed_module(name)) return;
    bool whole = true;
    while (!name.empty()) {
        const FoundModule& found = finder_.find(name);
        if (found && found.kind != FoundModule::Kind::namespace_package) {
            // import_module("%s.base" % name)
            bool has_parts = false;
            if (whole && found.is_package)
                for (const std::string& suffix : import_suffixes_) {
                    bool there = finder_.find(name + suffix.substr(0, suffix.find(".*"))).kind !=
                                 FoundModule::Kind::absent;
                    has_parts |= there;
                    if (there) want_pattern(name + suffix, {"names", scanned.file, string.line, true}, out);
                }
            if (has_parts)
                for (const std::string& folder : found.folders)
                    for (const std::string& read : folders_read_)
                        if (finder_.has_entry(folder, read))
                            for (Unit& unit : data_units(folder + "/" + read, found.root, places_))
                                out.needs.push_back(
                                    {std::move(unit),
                                     {"names the package of", scanned.file, string.line, true}});
            bool same_package = top_of(name) == top_of(scanned.name);
            bool is_class_path = string.text.find('.') != std::string::npos || scanned.own;
            if (places_.is_standard(found.root) && !whole && !scanned.result.imports_by_name) return;
            std::string_view tail = std::string_view(string.text).substr(name.size());
            if (!whole && tail.starts_with('.') &&
                !has_word(found, tail.substr(1, tail.find_first_of(".:", 1) - 1)))
                return;
            if (is_class_path && (same_package || whole || scanned.own || places_.is_standard(found.root)))
                want(name, {"names", scanned.file, string.line, true}, out);
            return;
        }
        name = parent_of(name);
        whole = false;
    }
}

namespace {

/// Bytes of the files beside a module that go along because it mentions where it is.
constexpr std::uint64_t surroundings_bound = 10u << 20;
/// The same where nearly all of them are data.
constexpr std::uint64_t data_bound = 100u << 20;

} // namespace

/// The files that paths made of __file__ lead to, in the application or in the same distribution.
void PythonRuntime::want_paths(const Scanned& scanned, Expansion& out) {
    std::set<std::string> seen;
    for (const StringAt& said : scanned.result.file_paths) {
        if (!seen.insert(said.text).second) continue;
        bool exact = !said.text.ends_with('*');
        std::string path = fs::path(exact ? said.text : said.text.substr(0, said.text.size() - 1))
                               .lexically_normal()
                               .string();
        std::string start;
        if (!exact && !is_folder(path)) {
            std::size_t slash = path.rfind('/');
            start = path.substr(slash + 1);
            path.resize(slash);
        }
        while (path.size() > 1 && path.ends_with('/')) path.pop_back();
        std::string root =
            scanned.own && application_ == nullptr ? project_.root_folder.string() : scanned.root;
        std::string inner = relative_to(path, root);
        if (inner.empty() || inner == parent_folder_of(relative_to(scanned.file, root))) continue;
        Reason reads{"reads", scanned.file, said.line, true};
        auto take = [&](const std::string& file) {
            // Python files that a path leads to are run, or read, as files.
            std::string below = relative_to(file, scanned.own ? entry_.folder : scanned.root);
            std::string name =
                file.ends_with(".py") && !below.empty() ? module_name_of(below) : std::string();
            if (!name.empty() && finder_.find(name).file == file) return want(name, reads, out);
            Unit unit = file_unit(kind_by_name(file), file, places_.of(file, root));
            unit.own = scanned.own;
            out.needs.push_back({std::move(unit), reads});
        };
        if (is_file(path)) {
            take(path);
        } else if (is_folder(path) && !is_there(path + "/pyvenv.cfg")) {
            if (!scanned.own && is_there(path + "/__init__.py") && start.empty() && exact) continue;
            for (const std::string& file : readable_files(path, scanned.own))
                if (start.empty() || file.starts_with(start)) take(path + "/" + file);
        }
    }
}

/// The resources of a package that is named where they are asked for.
void PythonRuntime::want_resources(const Scanned& scanned, const StringAt& package, Expansion& out) {
    std::string name = package.text;
    while (!name.empty() && !finder_.find(name)) name = parent_of(name);
    const FoundModule& found = finder_.find(name);
    if (!found || places_.is_standard(found.root) || (!scanned.own && top_of(name) != top_of(scanned.name)))
        return;
    Reason reads{"reads the resources of", scanned.file, package.line, true};
    want(name, reads, out);
    std::vector<std::string> folders = found.folders;
    if (folders.empty() && !found.file.empty())
        folders.push_back(found.file.substr(0, found.file.rfind('/')));
    for (const std::string& folder : folders)
        if (folder != found.root)
            for (Unit& unit : data_units(folder, found.root, places_))
                out.needs.push_back({std::move(unit), reads});
}

/// The files beside a module of a package that looks for files beside itself, and where it lists the folder,
/// the modules there too, as files that can be listed.
void PythonRuntime::want_surroundings(const Scanned& scanned, Expansion& out) {
    std::string folder = scanned.file.substr(0, scanned.file.rfind('/'));
    // Of the library only packages have data of their own.
    if (scanned.standard && folder == scanned.root) return;
    want_paths(scanned, out);
    for (const StringAt& package : scanned.result.resource_packages) want_resources(scanned, package, out);
    if (!scanned.result.names_own_file || folder == scanned.root || !finder_.has_entry(folder, "__init__.py"))
        return;
    std::vector<Unit> data = data_units(folder, scanned.root, places_);
    // What mentions its own path may mean any file of it: that holds for small ones. Large ones go by the
    // paths that they make, by what they open when they are imported, and by what is known of them.
    std::uint64_t size = 0, native_size = 0;
    std::error_code failed;
    for (const Unit& unit : data)
        (unit.kind == UnitKind::native ? native_size : size) += fs::file_size(unit.file, failed);
    bool is_small = size + native_size <= surroundings_bound;
    bool is_data = size <= data_bound && native_size < size / 2;
    if (is_small || is_data)
        for (Unit& unit : data)
            out.needs.push_back(
                {std::move(unit), {"looks for files beside itself, as", scanned.file, 0, false}});
    bool imports = scanned.own || by_name_packages_.contains(top_of(scanned.name));
    if (!scanned.result.lists_folders || scanned.standard || !imports) return;
    Reason lists{"lists its own folder, with", scanned.file, 0, true};
    bool is_package = finder_.find(scanned.name).is_package;
    for (const std::string& name : finder_.modules_in(is_package ? scanned.name : parent_of(scanned.name))) {
        const FoundModule& found = finder_.find(name);
        want(name, lists, out);
        if (found.kind == FoundModule::Kind::source && !excluded(name))
            out.needs.push_back(
                {file_unit(UnitKind::data, found.file, places_.of(found.file, found.root)), lists});
    }
}

/// What wants Python files where their modules would be: the tree looks as the source did.
void PythonRuntime::settle_sources(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    for (std::size_t i = settled_; i < scanned_.size(); ++i) {
        const Scanned& scanned = scanned_[i];
        auto id = ids.find(scanned.name);
        if (scanned.standard || id == ids.end()) continue;
        const Distribution* owner = installed_.owner_of(scanned.file);
        // Of a package, all that looks at files may look at modules.
        if (owner != nullptr && (scanned.result.lists_folders || scanned.result.names_own_file))
            shows_modules_.insert(owner->name);
        if (!scanned.own || carried_.companions.contains(scanned.name)) continue;
        const ScanResult& result = scanned.result;
        // The application may look into the folder of any package.
        if (result.lists_folders && result.names_own_file) shows_modules_.insert(every_distribution);
        reads_own_sources_ |= result.runs_sources != 0 || result.asks_for_source != 0;
        std::uint32_t runs = std::max(result.runs_files, result.runs_sources);
        if (runs == 0 && application_ != nullptr && !result.unknown_imports.empty())
            runs = result.unknown_imports.front();
        if (runs != 0) want_whole_library(scanned.file, runs, needs, id->second);
    }
    if (!reads_own_sources_ && reads_sources_of_.empty()) return;
    for (const auto& [name, id] : ids) {
        const Unit& unit = units[id];
        if (unit.kind != UnitKind::code || unit.of_runtime || unit.file.starts_with(helpers_.string()))
            continue;
        const Distribution* owner = unit.own ? nullptr : installed_.owner_of(unit.file);
        bool is_read =
            unit.own ? reads_own_sources_ : owner != nullptr && reads_sources_of_.contains(owner->name);
        if (!is_read) continue;
        if (!with_source_.insert(name).second) continue;
        needs.emplace_back(id, Need{file_unit(UnitKind::data, unit.file, unit.place),
                                    {"may be read as a text, in", unit.file, 0, true}});
    }
}

UnitNeeds PythonRuntime::finalize(const std::vector<Unit>& units) {
    std::unordered_map<std::string, trace::UnitId> ids;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        bool module = units[id].kind == UnitKind::code || units[id].kind == UnitKind::extension;
        if (module)
            ids.emplace(
                units[id].name == "__main__" && !main_module().empty() ? main_module() : units[id].name, id);
    }
    UnitNeeds needs;
    // In the order of names: the order of scanning depends on the threads.
    std::sort(scanned_.begin() + static_cast<std::ptrdiff_t>(settled_), scanned_.end(),
              [](const Scanned& left, const Scanned& right) { return left.name < right.name; });
    auto known = [this] {
        return by_name_packages_.size() + import_suffixes_.size() + folders_read_.size() +
               groups_are_computed_;
    };
    std::size_t before = known();
    for (const auto& [module, lore_entry] : lore_)
        if (ids.contains(module)) {
            import_suffixes_.insert(lore_entry.parts.begin(), lore_entry.parts.end());
            folders_read_.insert(lore_entry.part_data.begin(), lore_entry.part_data.end());
        }
    for (std::size_t i = settled_; i < scanned_.size(); ++i)
        groups_are_computed_ |= scanned_[i].result.asks_for_computed_group && !scanned_[i].standard;
    for (std::size_t i = settled_; i < scanned_.size(); ++i)
        for (const StringAt& suffix : scanned_[i].result.import_suffixes)
            import_suffixes_.insert(suffix.text);
    for (std::size_t i = settled_; i < scanned_.size(); ++i)
        if (scanned_[i].result.imports_by_name && !scanned_[i].standard)
            by_name_packages_.insert(top_of(scanned_[i].name));
    // Strings are looked at again from the start when more became known of how names in them are used.
    std::size_t first = known() == before ? settled_ : 0;
    for (std::size_t i = 0; i < scanned_.size(); ++i) {
        const Scanned& scanned = scanned_[i];
        Expansion out;
        for (const StringAt& name : scanned.result.watched) {
            auto [from, to] = named_rules_.equal_range(name.text);
            for (auto rule = from; rule != to; ++rule) {
                const std::string& module = rule->second.first;
                if (scanned.name == module || !ids.contains(module)) continue;
                // A name says something about a module only where that module, or the package it is in, is
                // imported.
                bool everywhere = facts_.built_in.contains(module) || module == "os" || module[0] == '_';
                auto imports = [&](const Request& request) {
                    return top_of(absolute_module(request, scanned.name)) == top_of(module);
                };
                if (!everywhere && std::ranges::none_of(scanned.result.requests, imports)) continue;
                for (const std::string& one : rule->second.second)
                    want_pattern(one, {"uses " + name.text + ", which needs", scanned.file, name.line, true},
                                 out);
            }
        }
        if (auto id = ids.find(scanned.name); id != ids.end())
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        out.needs.clear();
        bool is_whole = carried_.companions.contains(scanned.name);
        if (i >= settled_ && !is_whole) want_surroundings(scanned, out);
        bool names_matter = scanned.own || by_name_packages_.contains(top_of(scanned.name));
        for (const StringAt& string : scanned.result.dotted_strings) {
            if (scanned.standard || i < first) break;
            // A package has its own compiled parts under their names, whatever it opens them with.
            bool own_part = top_of(string.text) == top_of(scanned.name) &&
                            finder_.find(string.text).kind == FoundModule::Kind::extension;
            if (groups_are_computed_) want_group(string, scanned.file, out);
            if (scanned.result.names_own_file && !scanned.own) want_data_of_named(scanned, string, out);
            if (names_matter)
                want_dotted_string(scanned, string, out);
            else if (own_part)
                want(string.text, {"names", scanned.file, string.line, true}, out);
        }
        if (!import_suffixes_.empty() && i >= first)
            for (const StringAt& word : scanned.result.listed_words)
                if (finder_.may_have("", top_of(word.text)) && finder_.find(word.text).is_package)
                    want_dotted_string(scanned, word, out);
        if (auto id = ids.find(scanned.name); id != ids.end()) {
            hold_back_unrelated(units[id->second], out);
            if (is_whole)
                restrain(units[id->second], out);
            else
                note_asked(units[id->second], out.needs);
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        }
    }
    settle_entry_points(ids, needs);
    settle_sources(units, ids, needs);
    settle_programs(ids, needs);
    settle_settings(units, ids, needs);
    settled_ = scanned_.size();
    std::size_t asked = needs.size();
    settle_own(ids, needs);
    settle_typelibs(ids, needs);
    settle_qml(units, ids, needs);
    settle_companions(ids, needs);
    settle_distributions(units, needs);
    // What was asked for in this very pass may have become a companion since.
    for (const auto& [id, need] : std::span(needs).first(asked))
        if (is_companion(need.unit) && !is_companion(units[id])) carried_.asked.insert(need.unit.name);
    settle_trials(units, needs);
    // Last: what goes along with distributions is known by then, and may be needed now.
    settle_taken_names(units, ids, needs);
    return needs;
}

} // namespace omnistasis::python
