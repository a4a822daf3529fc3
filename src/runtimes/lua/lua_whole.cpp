// What goes along although no source names it: the project's own files, and small packages whole. A module
// that nothing reached brings in only what is of its own package or came for other reasons.
#include "runtimes/lua/lua_runtime.h"
#include "trace/own_ends.h"

#include <algorithm>
#include <unordered_set>

namespace omnistasis::lua {

namespace {

std::string top_of(const std::string& name) { return name.substr(0, name.find('.')); }

bool is_passed(const std::string& inner) {
    for (const char* folder : {"/spec/", "/test/", "/tests/", "/doc/", "/docs/", "/examples/"})
        if (("/" + inner).find(folder) != std::string::npos) return true;
    return inner.ends_with(".md") || inner.ends_with(".h") || inner.ends_with(".c") || inner.ends_with(".a");
}

} // namespace

void LuaRuntime::settle_own_files(const std::vector<Unit>& units, UnitNeeds& needs) {
    own_settled_ = true;
    auto main = std::ranges::find(units, entry_, &Unit::file);
    if (main == units.end() || project_.is_installed) return;
    auto id = static_cast<trace::UnitId>(main - units.begin());
    std::unordered_set<std::string_view> files;
    for (const Unit& unit : units) files.insert(unit.file);
    const OwnFiles& own = own_files();
    std::string folder = real_path(own.folder);
    for (const std::string& inner : own.files) {
        std::string file = folder + "/" + inner;
        if (files.contains(file) || !is_own(file)) continue;
        // A module that nothing reaches goes along as one: a computed name may mean it.
        std::string name = module_name_of(file);
        const FoundModule& found = finder_.find(name);
        bool is_module = !name.empty() && found.file == file && !is_excluded(name);
        Unit unit = is_module                ? module_unit(found)
                    : file.ends_with(".lua") ? file_unit(UnitKind::script, file)
                    : is_library_name(inner) ? file_unit(UnitKind::native, file)
                                             : file_unit(UnitKind::data, file);
        if (is_module) companions_.insert(name);
        needs.emplace_back(
            id, Need{std::move(unit), {"is one of the application's own files, with", entry_, 0, true}});
    }
    std::ranges::move(trace::loose_ends_of(own), std::back_inserter(ends_));
}

/// The files of the package that a file is of.
std::vector<std::string> LuaRuntime::files_with(const std::string& file) const {
    if (const Rock* rock = rocks_.of_file(file)) return rock->files;
    std::string inner = relative_to(file, root_of(file));
    std::string top = inner.substr(0, inner.find_first_of("/."));
    std::vector<std::string> files;
    for (const std::string& folder : finder_.roots()) {
        if (!relative_to(folder, base_).empty() || folder == base_) continue;
        for (const char* ending : {".lua", ".so"})
            if (is_file(folder + "/" + top + ending)) files.push_back(folder + "/" + top + ending);
        each_entry_below(folder + "/" + top, [&](const fs::directory_entry& entry) {
            std::error_code failed;
            if (entry.is_regular_file(failed)) files.push_back(entry.path().string());
        });
    }
    std::ranges::sort(files);
    return files;
}

UnitNeeds LuaRuntime::finalize(const std::vector<Unit>& units) {
    UnitNeeds needs;
    if (units.empty()) return needs;
    if (project_.own_files && !own_settled_) settle_own_files(units, needs);
    std::unordered_set<std::string_view> files;
    std::set<std::string> tops;
    for (const Unit& unit : units) {
        files.insert(unit.file);
        if (trace::is_module(unit.kind) && !companions_.contains(unit.name)) tops.insert(top_of(unit.name));
    }
    // What was withheld may belong to what came for other reasons since.
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        auto withheld = withheld_.find(units[id].name);
        if (withheld == withheld_.end()) continue;
        std::erase_if(withheld->second, [&](Need& need) {
            if (!tops.contains(top_of(need.unit.name))) return false;
            needs.emplace_back(id, std::move(need));
            return true;
        });
    }
    if (!project_.whole_packages) return needs;
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        if (unit.own || unit.of_runtime || !trace::is_module(unit.kind) || companions_.contains(unit.name))
            continue;
        std::string root = root_of(unit.file);
        if (root.empty()) continue;
        std::string inner = relative_to(unit.file, root);
        if (!whole_.insert(root + "/" + inner.substr(0, inner.find_first_of("/."))).second) continue;
        std::vector<std::string> all = files_with(unit.file);
        std::uint64_t size = 0;
        for (const std::string& file : all) {
            std::error_code failed;
            std::uint64_t one = fs::file_size(file, failed);
            if (!failed) size += one;
        }
        if (size > most_package_bytes) continue;
        for (const std::string& file : all) {
            std::string of = root_of(file);
            if (files.contains(file) || of.empty() || is_passed(relative_to(file, of)) || !is_file(file))
                continue;
            std::string name = module_name_of(file);
            if (file.ends_with(".so")) {
                name = relative_to(file, of);
                name.resize(name.size() - 3);
                std::ranges::replace(name, '/', '.');
            }
            const FoundModule& found = finder_.find(name);
            bool is_module = !name.empty() && found.file == file;
            if (is_excluded(name)) continue;
            // One that another file hides can't be required, and would be at its place.
            if (!is_module && (file.ends_with(".lua") || file.ends_with(".so"))) continue;
            if (is_module) companions_.insert(name);
            needs.emplace_back(id, Need{is_module ? module_unit(found) : file_unit(UnitKind::data, file),
                                        {"goes along with its whole package, with", unit.file, 0, true}});
        }
    }
    return needs;
}

/// Takes from what a companion asks for what it may not bring in.
void LuaRuntime::restrain(const Unit& companion, Expansion& out) {
    std::vector<Need> kept, held;
    for (Need& need : out.needs) {
        need.reason.optional = true;
        bool same = companion.own || top_of(need.unit.name) == top_of(companion.name) ||
                    !trace::is_module(need.unit.kind);
        (same ? kept : held).push_back(std::move(need));
    }
    out.needs = std::move(kept);
    for (trace::Unanswered& one : out.unanswered) one.reason.optional = true;
    if (!companion.own) out.loose_ends.clear();
    std::lock_guard lock(mutex_);
    auto& all = withheld_[companion.name];
    std::ranges::move(held, std::back_inserter(all));
}

} // namespace omnistasis::lua
