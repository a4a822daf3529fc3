#include "runtimes/python/lore_needs.h"

#include "native/elf_reader.h"
#include "runtimes/python/package_data.h"
#include "support/pattern.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

/// Whether what lies in the system's folders may belong to a module: not where its distribution brings its
/// own native libraries, which have data of their own version.
bool LoreNeeds::goes_with_system(const Unit& unit) {
    if (unit.of_runtime || unit.file.empty() || unit.file.starts_with("/usr/")) return true;
    const Distribution* owner = ground_.installed.owner_of(unit.file);
    if (owner == nullptr) return true;
    {
        std::lock_guard lock(gathered_.mutex);
        if (auto known = brings_libraries_.find(owner->name); known != brings_libraries_.end())
            return !known->second;
    }
    auto brings = [this](const Distribution& one) {
        return std::ranges::any_of(files_of(one), [this](const DistributionFile& file) {
            return is_library_name(fs::path(file.path).filename().string()) &&
                   !ground_.is_code_file(file.path) && !file.path.ends_with(".abi3.so");
        });
    };
    bool found = brings(*owner);
    // The libraries may be a distribution of their own, in the same folder.
    std::set<std::string> tops = top_level_modules(*owner);
    for (const Distribution* required : ground_.required_by(*owner, {}))
        if (!found && std::ranges::any_of(top_level_modules(*required),
                                          [&](const std::string& top) { return tops.contains(top); }))
            found = brings(*required);
    std::lock_guard lock(gathered_.mutex);
    brings_libraries_[owner->name] = found;
    return !found;
}

void LoreNeeds::apply_lore(const Unit& unit, Expansion& out) {
    std::size_t number = 0;
    for (const LoreEntry* known : ground_.lore_of(unit.name)) {
        const LoreEntry& lore_entry = *known;
        bool found_data = lore_entry.data.empty();
        std::string name = fmt::format("{}/{}", unit.name, number++);
        Reason reason{"brings in, by package lore,", unit.file, 0, true};
        for (const std::string& pattern : lore_entry.include) imports_.want_pattern(pattern, reason, out);
        for (const std::string& library : lore_entry.libraries)
            ground_.want_opened_library(library, reason, out);
        auto want_as_file = [&](const std::string& name) {
            const FoundModule& found = ground_.finder.find(name);
            if (found.kind != FoundModule::Kind::source) return;
            imports_.want(name, reason, out);
            out.needs.push_back(
                {file_unit(UnitKind::data, found.file, ground_.places.of(found.file, found.root)), reason});
        };
        for (const std::string& name : lore_entry.as_files) {
            if (!name.ends_with(".*")) {
                want_as_file(name);
                continue;
            }
            // Whoever lists the files sees the packages among them too.
            std::string package = name.substr(0, name.size() - 2);
            for (const std::string& module : ground_.finder.modules_in(package)) want_as_file(module);
        }
        auto is_installed = [&](const std::string& module) { return !!ground_.finder.find(module); };
        if (auto first = std::ranges::find_if(lore_entry.one_of, is_installed);
            first != lore_entry.one_of.end())
            imports_.want_pattern(*first, {"can't do without", unit.file, 0, false}, out);
        auto with_words = [&](std::string path) {
            for (auto [word, value] :
                 {std::pair<std::string, std::string>{"{prefix}", ground_.facts.base_prefix},
                  {"{package}", fs::path(unit.file).parent_path().string()},
                  {"{lore}", ground_.lore_folder.string()}})
                if (std::size_t at = path.find(word); at != std::string::npos)
                    path.replace(at, word.size(), value);
            return path;
        };
        for (const LoreData& data : lore_entry.data) {
            for (std::string candidate : data.from) {
                candidate = with_words(candidate);
                bool of_system = data.of_system || candidate.starts_with("/usr/");
                if (of_system && !goes_with_system(unit)) continue;
                if (of_system) candidate = ground_.path_in_system(candidate);
                if (is_file(candidate) && !data.to.empty()) {
                    auto content = MappedFile::open(candidate);
                    bool native = content && native::looks_like_elf(content->bytes());
                    out.needs.push_back(
                        {file_unit(native ? UnitKind::native : UnitKind::data, candidate, data.to), reason});
                    found_data |= !data.from.front().starts_with("{lore}");
                    break;
                }
                if (!is_folder(candidate) ||
                    (!data.holding.empty() && !is_there(fs::path(candidate) / data.holding)))
                    continue;
                candidate = fs::path(candidate).lexically_normal().string();
                found_data = true;
                std::string to = data.to.empty()
                                     ? ground_.places.of(candidate, ground_.finder.find(unit.name).root)
                                     : data.to;
                for (const std::string& file : all_files(candidate, data.without)) {
                    auto fits = [&](const std::string& pattern) { return fits_pattern(file, pattern, '/'); };
                    if (!data.only.empty() && std::ranges::none_of(data.only, fits)) continue;
                    std::string place = to + "/" + file;
                    UnitKind kind = is_library_name(file) ? UnitKind::native : UnitKind::data;
                    Reason why = reason;
                    why.optional = std::ranges::none_of(data.needed, fits);
                    out.needs.push_back({file_unit(kind, candidate + "/" + file, place), why});
                }
                break;
            }
        }
        if (!found_data) {
            std::lock_guard lock(gathered_.mutex);
            gathered_.idle_lore.insert(std::move(name));
        }
    }
}

} // namespace omnistasis::python
