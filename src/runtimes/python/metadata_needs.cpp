#include "runtimes/python/metadata_needs.h"

#include "runtimes/python/package_data.h"

#include <fmt/format.h>
#include <utility>

namespace omnistasis::python {

void MetadataNeeds::want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out) {
    fs::path folder = distribution.folder;
    auto add = [&](const fs::path& file, const std::string& place) {
        out.needs.push_back({file_unit(UnitKind::data, file.string(), place), reason});
    };
    std::string base = ground_.places.site_packages() + "/" + folder.filename().string();
    if (distribution.is_file) return add(folder, base);
    for (const char* name : {"METADATA", "PKG-INFO", "entry_points.txt", "top_level.txt"})
        if (is_there(folder / name)) add(folder / name, base + "/" + name);
}

void MetadataNeeds::answer_entry_point(const Request& request, const Reason& reason, Expansion& out) {
    std::size_t first = request.module.find('\n');
    std::size_t second = request.module.find('\n', first + 1);
    std::string wanted = request.module.substr(0, first);
    wanted = normalized_distribution_name(wanted.substr(0, wanted.find_first_of("=<>!~ [")));
    std::string group = request.module.substr(first + 1, second - first - 1);
    std::string name = request.module.substr(second + 1);
    for (const Distribution& distribution : ground_.installed.all()) {
        if (distribution.name != wanted) continue;
        want_metadata(distribution, reason, out);
        auto in_group = distribution.entry_points.find(group);
        if (in_group == distribution.entry_points.end()) break;
        if (auto entry = in_group->second.find(name); entry != in_group->second.end())
            return imports_.want(entry->second.substr(0, entry->second.find(':')), reason, out);
    }
    out.unanswered.push_back({fmt::format("the entry point {} of {}", name, wanted), reason, {}, {}});
}

void MetadataNeeds::apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out) {
    if (ground_.places.is_standard(ground_.finder.find(unit.name).root)) return;
    for (const StringAt& asked : result.distributions) {
        std::string name = normalized_distribution_name(asked.text);
        bool there = false;
        for (const Distribution& distribution : ground_.installed.all())
            if (distribution.name == name) {
                want_metadata(distribution, {"asks for the metadata of", unit.file, asked.line, false}, out);
                there = true;
            }
        if (!there && unit.own && !name.empty())
            out.loose_ends.push_back(
                {.kind = "no-metadata",
                 .what = fmt::format("the metadata of {} is asked for, and is not there", asked.text),
                 .file = unit.file,
                 .line = asked.line,
                 .effect = "the call fails, as it does from source",
                 .advice = "install the distribution, or expect the error",
                 .minor = true});
    }
    for (const StringAt& group : result.entry_point_groups) want_group(group, unit.file, out);
}

void MetadataNeeds::want_group(const StringAt& group, const std::string& file, Expansion& out) {
    for (const Distribution& distribution : ground_.installed.all()) {
        auto entries = distribution.entry_points.find(group.text);
        if (entries == distribution.entry_points.end()) continue;
        Reason reason{"asks for the entry points " + group.text + " of", file, group.line, true};
        for (const auto& [name, value] : entries->second) {
            std::string module = value.substr(0, value.find(':'));
            imports_.want(module, reason, out);
            const FoundModule& found = ground_.finder.find(module);
            bool is_folder = module == value && found.is_package && found.kind == FoundModule::Kind::source;
            std::lock_guard lock(gathered_.mutex);
            if (is_folder) entry_folders_.emplace(module, false);
            entry_modules_.emplace(module, std::pair(&distribution, reason));
        }
    }
}

void MetadataNeeds::settle_entry_points(const std::unordered_map<std::string, trace::UnitId>& ids,
                                        UnitNeeds& needs) {
    std::lock_guard lock(gathered_.mutex);
    for (auto& [module, told] : entry_modules_) {
        auto id = ids.find(module);
        if (told.first == nullptr || id == ids.end()) continue;
        Expansion out;
        want_metadata(*std::exchange(told.first, nullptr), told.second, out);
        // One without an attribute may stand for a folder: a theme is the package that its templates are in.
        auto folder = entry_folders_.find(module);
        if (folder != entry_folders_.end() && !std::exchange(folder->second, true)) {
            const FoundModule& found = ground_.finder.find(module);
            for (Unit& data : all_data_units(parent_folder_of(found.file), found.root, ground_.places))
                out.needs.push_back({std::move(data), told.second});
        }
        for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
    }
}

} // namespace omnistasis::python
