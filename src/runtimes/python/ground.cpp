#include "runtimes/python/ground.h"

#include "native/native_kind.h"
#include "support/letter_case.h"
#include "support/near_match.h"
#include "support/own_program.h"
#include "support/pattern.h"
#include "support/target_info.h"
#include "trace/opened_library.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::python {

namespace {

/// What platform.machine() says of a processor.
std::string machine_of(const Facts& facts) {
    const TargetInfo* target = find_target(facts.target);
    if (target == nullptr) return {};
    return target->system == System::windows ? upper_case(target->manifest_word) : target->manifest_word;
}

} // namespace

Ground::Ground(Project of, Facts said, std::optional<Facts> said_here, Lore known, fs::path helpers_folder,
               fs::path folder_of_lore, std::shared_ptr<Store> with)
    : project(std::move(of)), facts(std::move(said)), lore(std::move(known)),
      helpers(std::move(helpers_folder)), lore_folder(std::move(folder_of_lore)), entry(read_entry(project)),
      places(project, facts), installed_files(python::installed_files(project, entry)),
      search_path(whole_search_path()), finder(facts, search_path),
      installed(search_path,
                marker_variables(facts.major, facts.minor, facts.micro, facts.platform, machine_of(facts))),
      scans(scan_settings(), with), sketches(facts.executable, helpers, with), store(std::move(with)) {
    if (said_here) here = std::make_unique<HostSide>(std::move(*said_here));
    scan_facts.major = facts.major;
    scan_facts.minor = facts.minor;
    scan_facts.platform = facts.platform;
    scan_facts.os_name = installed.variables().at("os_name");
    scan_facts.system = installed.variables().at("platform_system");
    scan_facts.machine = machine_of(facts);
    for (const auto& [module, entry_of_lore] : lore) {
        for (const auto& [name, meant] : entry_of_lore.stands_for)
            stands_for.emplace(name.starts_with('.') ? module + name : name, meant);
        on_request.insert(entry_of_lore.on_request.begin(), entry_of_lore.on_request.end());
        for (const auto& [name, modules] : entry_of_lore.when_named) {
            watched.add(name);
            named_rules.emplace(name, std::pair(module, modules));
        }
    }
    scan_facts.watched = &watched;
    if (!installed_files.empty()) required_programs = programs_required_by(entry.file);
    for (const auto& [name, program] : required_programs) required_program_names.insert(name);
    scan_facts.known_programs = &required_program_names;
}

std::vector<const LoreEntry*> Ground::lore_of(const std::string& module) const {
    std::vector<const LoreEntry*> found;
    auto [first, last] = lore.equal_range(module);
    for (auto one = first; one != last; ++one) found.push_back(&one->second);
    return found;
}

bool Ground::is_own_on_this_machine(const Distribution& distribution) const {
    std::string own = project.own_folder.string();
    bool is_editable = std::ranges::any_of(top_level_modules(distribution), [&](const std::string& top) {
        auto mapped = here->facts.editable.find(top);
        return mapped != here->facts.editable.end() && !relative_to(mapped->second, own).empty();
    });
    bool is_beside = !relative_to(distribution.root, own).empty() &&
                     relative_to(distribution.root, here->facts.prefix).empty();
    return is_editable || is_beside || distribution.root == own;
}

std::string Ground::interpreter_place() const {
    std::string name = fs::path(facts.program).filename().string();
    // The program of a framework, which is started through another.
    if (name == "Python") name = fmt::format("python{}.{}", facts.major, facts.minor);
    return (fs::path(facts.programs_place) / name).string();
}

std::string Ground::program_place() const {
    std::string ending = find_target(facts.target)->program_ending;
    std::string place = (fs::path(facts.programs_place) / (project.name + ending)).string();
    return place == interpreter_place()
               ? (fs::path(facts.programs_place) / (project.name + "-program" + ending)).string()
               : place;
}

const OwnFiles& Ground::own_files() {
    std::call_once(own_files_read_, [this] { own_files_ = find_own_files(project); });
    return own_files_;
}

const LibraryIndex& Ground::libraries() {
    std::call_once(libraries_read_, [this] {
        if (is_for_host()) return;
        std::vector<std::string> folders{facts.base_prefix};
        if (facts.base_prefix.ends_with("/usr"))
            folders.push_back(parent_folder_of(facts.base_prefix) + "/lib");
        bool has_environment = facts.prefix != facts.base_prefix;
        if (has_environment) folders.push_back(facts.prefix);
        for (const std::string& folder : facts.search_path)
            if (!places.is_standard(folder) &&
                (!has_environment || relative_to(folder, facts.prefix).empty()))
                folders.push_back(folder);
        libraries_ = LibraryIndex(folders, system_of(facts.target) == System::windows);
        if (project.is_installed) return;
        for (const std::string& file : own_files().files) libraries_.add(own_files().folder + "/" + file);
    });
    return libraries_;
}

std::string Ground::library_of_packages(const std::string& name, const std::string& file) {
    std::string folder = parent_folder_of(file);
    std::string nearest = libraries().find(name, folder);
    if (nearest.empty() || parent_folder_of(nearest) == folder) return nearest;
    const Distribution* asks = installed.owner_of(file);
    if (asks == nullptr) return nearest;
    std::vector<const Distribution*> order{asks};
    for (std::size_t i = 0; i < order.size(); ++i)
        for (const Distribution* one : required_by(*order[i], {}))
            if (std::ranges::find(order, one) == order.end()) order.push_back(one);
    std::vector<std::string> all = libraries().all(name);
    for (const Distribution* one : order)
        for (const std::string& candidate : all)
            if (installed.owner_of(candidate) == one) return candidate;
    return nearest;
}

void Ground::settle_kind(Unit& unit) const {
    if (!here || unit.kind != UnitKind::data || unit.file.empty()) return;
    std::string name = lower_case(base_name(unit.file));
    bool may_be = is_library_name(name) || name.ends_with(".dll") || name.ends_with(".pyd") ||
                  name.ends_with(".exe") || name.ends_with(".dylib");
    if (may_be && native::kind_of(unit.file).fits(facts.target)) unit.kind = UnitKind::native;
}

bool Ground::want_opened_library(const std::string& name, const Reason& reason, Expansion& out) {
    if (is_for_host()) return trace::want_opened_library(name, reason, out);
    std::string file = libraries().find(name, parent_folder_of(reason.file));
    if (file.empty() && system_of(facts.target) == System::windows)
        file = libraries().find(name + ".dll", parent_folder_of(reason.file));
    if (file.empty()) return false;
    std::string place = library_place(file).value_or("lib/" + fs::path(file).filename().string());
    out.needs.push_back({file_unit(UnitKind::native, file, place), reason});
    return true;
}

std::optional<std::string> Ground::library_place(const std::string& file) const {
    for (const std::string& root : facts.search_path)
        if (!places.is_standard(root) && !relative_to(file, root).empty()) return places.of(file, root);
    if (is_for_host()) return std::nullopt;
    std::string own = project.own_folder.string();
    if (!relative_to(file, own).empty()) return places.of(file, own);
    if (!relative_to(file, facts.extensions).empty()) return places.of(file, facts.extensions);
    std::string inner = relative_to(file, facts.prefix);
    if (inner.empty()) inner = relative_to(file, facts.base_prefix);
    return inner.empty() ? std::nullopt : std::optional(inner);
}

std::string Ground::path_in_system(const std::string& path) const {
    constexpr std::string_view user_files = "/usr";
    if (is_for_host()) return path;
    if (path.starts_with("/usr/")) return facts.base_prefix + path.substr(user_files.size());
    return facts.base_prefix.ends_with(user_files) ? parent_folder_of(facts.base_prefix) + path : "";
}

std::vector<std::string> Ground::isolated(std::vector<std::string> arguments) const {
    std::vector<std::string> all{"-E", "-s", "-S"};
    if (project.drop_docstrings) all.push_back("-OO");
    if (!facts.compiles()) all.push_back("-B"); // nothing is written into the app tree
    all.insert(all.end(), arguments.begin(), arguments.end());
    return all;
}

std::vector<std::string> Ground::near_names(const std::string& name) {
    return near_matches(name, finder.modules_in(parent_of(name)));
}

std::string Ground::absolute_module(const Request& request, const std::string& from) {
    if (request.level == 0) return request.module;
    std::string base = finder.find(from).is_package ? from : parent_of(from);
    for (std::uint32_t up = 1; up < request.level; ++up) base = parent_of(base);
    return base.empty() ? request.module : request.module.empty() ? base : base + "." + request.module;
}

bool Ground::is_development_tool(const std::string& module) const {
    return std::ranges::any_of(lore_of("*"), [&](const LoreEntry* lore_entry) {
        return std::ranges::find(lore_entry->leave_out, module) != lore_entry->leave_out.end();
    });
}

bool Ground::is_in_packages(const std::string& file) const {
    return std::ranges::any_of(facts.search_path, [&](const std::string& root) {
        return !places.is_standard(root) && !relative_to(file, root).empty();
    });
}

const Distribution* Ground::find_application() {
    bool is_elsewhere = entry.kind != Entry::Kind::script && !entry.file.empty() &&
                        !places.is_own(finder.find(entry.module).root);
    if (!project.is_installed && !is_elsewhere) return nullptr;
    if (const Distribution* owner = installed.owner_of(entry.file)) return owner;
    if (const Distribution* known = installed.with_command(base_name(entry.file))) return known;
    // A command that is a script of its own is installed on this machine only.
    const Distribution* owner = here ? here->installed.owner_of(entry.file) : nullptr;
    return owner == nullptr ? nullptr : installed.named(owner->name);
}

bool Ground::is_of_application(const std::string& file) {
    if (std::ranges::binary_search(installed_files, file)) return true;
    return application != nullptr && installed.owner_of(file) == application;
}

std::vector<std::string> Ground::whole_search_path() const {
    std::vector<std::string> path;
    // A folder of commands is no folder of modules, although the interpreter takes it for one.
    if (!entry.among_commands) path.push_back(entry.folder);
    path.insert(path.end(), facts.search_path.begin(), facts.search_path.end());
    // Commands of the system put folders of their own package on the path, often by functions.
    for (const std::string& folder : folders_of_packages(installed_files))
        if (std::ranges::find(path, folder) == path.end()) path.push_back(folder);
    // What the entry point itself does to the path, before it imports anything from there.
    auto source = MappedFile::open(entry.file);
    if (!source) return path;
    ScanFacts main_facts;
    main_facts.minor = facts.minor;
    main_facts.is_main = true;
    main_facts.file = entry.file;
    for (const StringAt& added : scan(source->text(), "__main__", "", main_facts).search_path) {
        bool in_front = added.text.starts_with('<');
        std::string folder = fs::path(added.text.substr(in_front ? 1 : 0)).lexically_normal().string();
        while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
        if (is_folder(folder) && std::ranges::find(path, folder) == path.end())
            path.insert(in_front ? path.begin() : path.end(), folder);
    }
    return path;
}

/// All that scans depend on but the files: our own program, the version, the names that lore watches for.
std::string Ground::scan_settings() const {
    std::string settings =
        fmt::format("{}.{} {} {}", facts.major, facts.minor, facts.platform, machine_of(facts));
    settings += " " + own_program_stamp();
    for (const auto& [module, lore_entry] : lore)
        for (const auto& [name, needed] : lore_entry.when_named) settings += " " + name;
    return settings;
}

bool Ground::excluded(const std::string& name) const {
    return std::ranges::any_of(project.exclude, [&](const std::string& pattern) {
        return fits_pattern(name, pattern) || (!is_pattern(pattern) && name.starts_with(pattern + ".")) ||
               (pattern.ends_with(".*") && name == pattern.substr(0, pattern.size() - 2));
    });
}

Unit Ground::unit_of(const std::string& name, const FoundModule& found) {
    Unit unit;
    unit.name = name;
    switch (found.kind) {
    case FoundModule::Kind::extension:
        unit.kind = UnitKind::extension;
        break;
    case FoundModule::Kind::built_in:
    case FoundModule::Kind::absent:
        unit.kind = UnitKind::built_in;
        return unit;
    case FoundModule::Kind::namespace_package:
        unit.kind = UnitKind::folder;
        return unit;
    default:
        unit.kind = UnitKind::code;
    }
    unit.file = found.file;
    unit.place = places.of(found.file, found.root);
    unit.own = places.is_own(found.root) || is_of_application(found.file);
    unit.of_runtime = places.is_standard(found.root);
    return unit;
}

std::string Ground::meant_by(const std::string& name) const {
    if (auto exact = stands_for.find(name); exact != stands_for.end()) return exact->second;
    // "package.made.*" = "package.real.*"
    for (std::string above = parent_of(name); !above.empty(); above = parent_of(above))
        if (auto all = stands_for.find(above + ".*"); all != stands_for.end())
            return all->second.substr(0, all->second.size() - 1) + name.substr(above.size() + 1);
    return {};
}

Result<void> Ground::find_entry_module() {
    if (entry.kind == Entry::Kind::script) return {};
    const FoundModule* found = &finder.find(entry.module);
    bool runs = entry.kind == Entry::Kind::module;
    if (runs && found->is_package) {
        entry.module += ".__main__";
        found = &finder.find(entry.module);
    }
    if (found->kind == FoundModule::Kind::source || (!runs && *found)) {
        entry.file = found->file;
        return {};
    }
    auto near = near_names(entry.module);
    return fail(ErrorKind::bad_input, fmt::format("there is no module {} that can be started", entry.module),
                project.project_file.empty() ? project.folder.string()
                                             : "app.entry in " + project.project_file.string(),
                *found ? "it is there, but not as source" : "it is not in the project and not installed",
                near.empty() ? "name a source file, a package with a __main__.py, or module:function"
                             : fmt::format("did you mean {}?", fmt::join(near, ", ")));
}

Unit Ground::main_unit() {
    Unit unit{UnitKind::code, "__main__", entry.file, {}, true, false};
    if (entry.kind == Entry::Kind::function) {
        unit.file = (helpers / "call.py").string();
        unit.place = application_place() + "/_omnistasis_call.py";
    } else if (entry.kind == Entry::Kind::script) {
        unit.place = places.of(entry.file, project.folder.string());
    } else {
        const std::string& root = finder.find(entry.module).root;
        unit.place = places.of(entry.file, root);
        unit.own = places.is_own(root);
    }
    return unit;
}

bool Ground::is_code_file(const fs::path& file) const {
    std::string name = file.filename().string();
    if (name.ends_with(".py") || name.ends_with(".pyc") || name.ends_with(".pth") || name == "pyvenv.cfg")
        return true;
    return std::ranges::any_of(facts.extension_suffixes, [&](const std::string& suffix) {
        return name.ends_with(suffix) && suffix != ".so";
    });
}

} // namespace omnistasis::python
