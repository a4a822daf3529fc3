#include "runtimes/python/string_needs.h"

#include "runtimes/python/package_data.h"
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

void StringNeeds::want_dotted_string(const Scanned& scanned, const StringAt& string, Expansion& out) {
    std::string name = string.text.substr(0, string.text.find(':'));
    // ".tides" means a neighbour: import_module(".tides", __package__)
    if (name.starts_with('.')) {
        std::string package =
            ground_.finder.find(scanned.name).is_package ? scanned.name : parent_of(scanned.name);
        if (package.empty() || !scanned.result.imports_by_name) return;
        // ".tides.Table" is a class in it.
        std::string whole = package + name;
        while (whole.size() > package.size() && !ground_.finder.find(whole)) whole = parent_of(whole);
        if (whole.size() > package.size())
            imports_.want(whole, {"names", scanned.file, string.line, true}, out);
        return;
    }
    // A package that names its tests means to run them.
    if (!scanned.own && is_passed_module(name)) return;
    bool whole = true;
    while (!name.empty()) {
        const FoundModule& found = ground_.finder.find(name);
        if (found && found.kind != FoundModule::Kind::namespace_package) {
            // import_module("%s.base" % name)
            bool has_parts = false;
            if (whole && found.is_package)
                for (const std::string& suffix : import_suffixes_) {
                    bool there = ground_.finder.find(name + suffix.substr(0, suffix.find(".*"))).kind !=
                                 FoundModule::Kind::absent;
                    has_parts |= there;
                    if (there)
                        imports_.want_pattern(name + suffix, {"names", scanned.file, string.line, true}, out);
                }
            if (has_parts)
                for (const std::string& folder : found.folders)
                    for (const std::string& read : folders_read_)
                        if (ground_.finder.has_entry(folder, read))
                            for (Unit& unit : data_units(folder + "/" + read, found.root, ground_.places))
                                out.needs.push_back(
                                    {std::move(unit),
                                     {"names the package of", scanned.file, string.line, true}});
            bool same_package = top_of(name) == top_of(scanned.name);
            bool is_class_path = string.text.find('.') != std::string::npos || scanned.own;
            if (ground_.places.is_standard(found.root) && !whole && !scanned.result.imports_by_name) return;
            std::string_view tail = std::string_view(string.text).substr(name.size());
            if (!whole && tail.starts_with('.') &&
                !has_word(found, tail.substr(1, tail.find_first_of(".:", 1) - 1)))
                return;
            if (is_class_path &&
                (same_package || whole || scanned.own || ground_.places.is_standard(found.root)))
                imports_.want(name, {"names", scanned.file, string.line, true}, out);
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
void StringNeeds::want_paths(const Scanned& scanned, Expansion& out) {
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
        std::string root = scanned.own && ground_.application == nullptr
                               ? ground_.project.root_folder.string()
                               : scanned.root;
        std::string inner = relative_to(path, root);
        if (inner.empty() || inner == parent_folder_of(relative_to(scanned.file, root))) continue;
        Reason reads{"reads", scanned.file, said.line, true};
        auto take = [&](const std::string& file) {
            // Python files that a path leads to are run, or read, as files.
            std::string below = relative_to(file, scanned.own ? ground_.entry.folder : scanned.root);
            std::string name =
                file.ends_with(".py") && !below.empty() ? module_name_of(below) : std::string();
            if (!name.empty() && ground_.finder.find(name).file == file)
                return imports_.want(name, reads, out);
            Unit unit = file_unit(kind_by_name(file), file, ground_.places.of(file, root));
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
void StringNeeds::want_resources(const Scanned& scanned, const StringAt& package, Expansion& out) {
    std::string name = package.text;
    while (!name.empty() && !ground_.finder.find(name)) name = parent_of(name);
    const FoundModule& found = ground_.finder.find(name);
    if (!found || ground_.places.is_standard(found.root) ||
        (!scanned.own && top_of(name) != top_of(scanned.name)))
        return;
    Reason reads{"reads the resources of", scanned.file, package.line, true};
    imports_.want(name, reads, out);
    std::vector<std::string> folders = found.folders;
    if (folders.empty() && !found.file.empty())
        folders.push_back(found.file.substr(0, found.file.rfind('/')));
    for (const std::string& folder : folders)
        if (folder != found.root)
            for (Unit& unit : data_units(folder, found.root, ground_.places))
                out.needs.push_back({std::move(unit), reads});
}

/// The files beside a module of a package that looks for files beside itself, and where it lists the folder,
/// the modules there too, as files that can be listed.
void StringNeeds::want_surroundings(const Scanned& scanned, Expansion& out) {
    std::string folder = scanned.file.substr(0, scanned.file.rfind('/'));
    // Of the library only packages have data of their own.
    if (scanned.standard && folder == scanned.root) return;
    want_paths(scanned, out);
    for (const StringAt& package : scanned.result.resource_packages) want_resources(scanned, package, out);
    if (!scanned.result.names_own_file || folder == scanned.root ||
        !ground_.finder.has_entry(folder, "__init__.py"))
        return;
    std::vector<Unit> data = data_units(folder, scanned.root, ground_.places);
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
    bool is_package = ground_.finder.find(scanned.name).is_package;
    for (const std::string& name :
         ground_.finder.modules_in(is_package ? scanned.name : parent_of(scanned.name))) {
        const FoundModule& found = ground_.finder.find(name);
        imports_.want(name, lists, out);
        if (found.kind == FoundModule::Kind::source && !ground_.excluded(name))
            out.needs.push_back(
                {file_unit(UnitKind::data, found.file, ground_.places.of(found.file, found.root)), lists});
    }
}

void StringNeeds::settle_sources(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    for (std::size_t i = gathered_.settled; i < gathered_.scanned.size(); ++i) {
        const Scanned& scanned = gathered_.scanned[i];
        auto id = ids.find(scanned.name);
        if (scanned.standard || id == ids.end()) continue;
        const Distribution* owner = ground_.installed.owner_of(scanned.file);
        // Of a package, all that looks at files may look at modules.
        if (owner != nullptr && (scanned.result.lists_folders || scanned.result.names_own_file))
            gathered_.shows_modules.insert(owner->name);
        if (!scanned.own || companions_.has(scanned.name)) continue;
        const ScanResult& result = scanned.result;
        // The application may look into the folder of any package.
        if (result.lists_folders && result.names_own_file) gathered_.shows_modules.insert(every_distribution);
        gathered_.reads_own_sources |= result.runs_sources != 0 || result.asks_for_source != 0;
        std::uint32_t runs = std::max(result.runs_files, result.runs_sources);
        if (runs == 0 && ground_.application != nullptr && !result.unknown_imports.empty())
            runs = result.unknown_imports.front();
        if (runs != 0) own_.want_whole_library(scanned.file, runs, needs, id->second);
    }
    if (!gathered_.reads_own_sources && gathered_.reads_sources_of.empty()) return;
    for (const auto& [name, id] : ids) {
        const Unit& unit = units[id];
        if (unit.kind != UnitKind::code || unit.of_runtime || unit.file.starts_with(ground_.helpers.string()))
            continue;
        const Distribution* owner = unit.own ? nullptr : ground_.installed.owner_of(unit.file);
        bool is_read = unit.own ? gathered_.reads_own_sources
                                : owner != nullptr && gathered_.reads_sources_of.contains(owner->name);
        // The first line of an environment's start script names an interpreter of this machine.
        bool is_start_script = ground_.project.is_installed && unit.file == ground_.entry.file &&
                               !unit.file.starts_with("/usr/") && !unit.file.ends_with(".py");
        if (!is_read || is_start_script) continue;
        if (!gathered_.with_source.insert(name).second) continue;
        needs.emplace_back(id, Need{file_unit(UnitKind::data, unit.file, unit.place),
                                    {"may be read as a text, in", unit.file, 0, true}});
    }
}

/// What lore knows to follow from names that a module uses.
void StringNeeds::want_by_watched_names(const Scanned& scanned, const UnitIds& ids, Expansion& out) {
    for (const StringAt& name : scanned.result.watched) {
        auto [from, to] = ground_.named_rules.equal_range(name.text);
        for (auto rule = from; rule != to; ++rule) {
            const std::string& module = rule->second.first;
            if (scanned.name == module || !ids.contains(module)) continue;
            // A name says something about a module only where that module, or the package it is in, is
            // imported.
            bool everywhere = ground_.facts.built_in.contains(module) || module == "os" || module[0] == '_';
            auto imports = [&](const Request& request) {
                return top_of(ground_.absolute_module(request, scanned.name)) == top_of(module);
            };
            if (!everywhere && std::ranges::none_of(scanned.result.requests, imports)) continue;
            for (const std::string& one : rule->second.second)
                imports_.want_pattern(
                    one, {"uses " + name.text + ", which needs", scanned.file, name.line, true}, out);
        }
    }
}

void StringNeeds::want_by_strings(const Scanned& scanned, Expansion& out) {
    bool names_matter = scanned.own || by_name_packages_.contains(top_of(scanned.name));
    for (const StringAt& string : scanned.result.dotted_strings) {
        if (scanned.standard) break;
        // A package has its own compiled parts under their names, whatever it opens them with.
        bool own_part = top_of(string.text) == top_of(scanned.name) &&
                        ground_.finder.find(string.text).kind == FoundModule::Kind::extension;
        if (groups_are_computed_) metadata_.want_group(string, scanned.file, out);
        if (scanned.result.names_own_file && !scanned.own) want_data_of_named(scanned, string, out);
        if (names_matter)
            want_dotted_string(scanned, string, out);
        else if (own_part)
            imports_.want(string.text, {"names", scanned.file, string.line, true}, out);
    }
    if (!import_suffixes_.empty())
        for (const StringAt& word : scanned.result.listed_words)
            if (ground_.finder.may_have("", top_of(word.text)) && ground_.finder.find(word.text).is_package)
                want_dotted_string(scanned, word, out);
}

/// Notes how names in strings are used, by the modules that came since the last time. Whether that is news.
bool StringNeeds::learn_of_names(const UnitIds& ids) {
    auto known = [this] {
        return by_name_packages_.size() + import_suffixes_.size() + folders_read_.size() +
               groups_are_computed_;
    };
    std::size_t before = known();
    for (const auto& [module, lore_entry] : ground_.lore)
        if (ids.contains(module)) {
            import_suffixes_.insert(lore_entry.parts.begin(), lore_entry.parts.end());
            folders_read_.insert(lore_entry.part_data.begin(), lore_entry.part_data.end());
        }
    for (std::size_t i = gathered_.settled; i < gathered_.scanned.size(); ++i) {
        const Scanned& scanned = gathered_.scanned[i];
        groups_are_computed_ |= scanned.result.asks_for_computed_group && !scanned.standard;
        for (const StringAt& suffix : scanned.result.import_suffixes) import_suffixes_.insert(suffix.text);
        if (scanned.result.imports_by_name && !scanned.standard)
            by_name_packages_.insert(top_of(scanned.name));
    }
    return known() != before;
}

void StringNeeds::settle(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    // In the order of names: the order of scanning depends on the threads.
    std::sort(gathered_.scanned.begin() + static_cast<std::ptrdiff_t>(gathered_.settled),
              gathered_.scanned.end(),
              [](const Scanned& left, const Scanned& right) { return left.name < right.name; });
    // Strings are looked at again from the start when more became known of how names in them are used.
    std::size_t first = learn_of_names(ids) ? 0 : gathered_.settled;
    for (std::size_t i = 0; i < gathered_.scanned.size(); ++i) {
        const Scanned& scanned = gathered_.scanned[i];
        Expansion out;
        want_by_watched_names(scanned, ids, out);
        if (auto id = ids.find(scanned.name); id != ids.end())
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        out.needs.clear();
        bool is_whole = companions_.has(scanned.name);
        if (i >= gathered_.settled && !is_whole) want_surroundings(scanned, out);
        if (i >= first) want_by_strings(scanned, out);
        if (auto id = ids.find(scanned.name); id != ids.end()) {
            companions_.hold_back_unrelated(units[id->second], out);
            if (is_whole)
                companions_.restrain(units[id->second], out);
            else
                companions_.note_asked(units[id->second], out.needs);
            for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        }
    }
}

/// A package without code, of the same top-level package, that a string names where resources are read.
void StringNeeds::want_data_of_named(const Scanned& scanned, const StringAt& string, Expansion& out) {
    if (top_of(string.text) != top_of(scanned.name) || string.text.find('.') == std::string::npos) return;
    const FoundModule& found = ground_.finder.find(string.text);
    if (!found.is_package && found.kind != FoundModule::Kind::namespace_package) return;
    Reason reason{"names the package of", scanned.file, string.line, true};
    imports_.want(string.text, reason, out);
    for (const std::string& folder : found.folders)
        for (const FolderEntry& entry : list_folder(folder))
            if (!entry.is_folder && !entry.name.ends_with(".py"))
                out.needs.push_back({file_unit(UnitKind::data, folder + "/" + entry.name,
                                               ground_.places.of(folder + "/" + entry.name, found.root)),
                                     reason});
}

} // namespace omnistasis::python
