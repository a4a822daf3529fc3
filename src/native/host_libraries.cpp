#include "native/host_libraries.h"

#include "native/oldest_system.h"
#include "support/pattern.h"
#include "support/toml.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

std::vector<std::string> texts_of(toml::node_view<const toml::node> list) {
    std::vector<std::string> texts;
    if (const toml::array* array = list.as_array())
        for (const toml::node& node : *array) texts.push_back(node.value_or(std::string()));
    return texts;
}

} // namespace

Result<HostLibraries> HostLibraries::read(const std::filesystem::path& data, const std::string& target) {
    std::filesystem::path file = data / "hosts" / (target + ".toml");
    toml::parse_result parsed = toml::parse_file(file.string());
    if (!parsed)
        return fail(ErrorKind::fault, "can't read the list of host libraries", file.string(),
                    std::string(parsed.error().description()), "install Omnistasis anew");
    std::vector<Entry> entries;
    CLibrary c_library;
    if (const toml::array* groups = parsed.table()["group"].as_array())
        for (const toml::node& node : *groups) {
            const toml::table& group = *node.as_table();
            std::string reason = group["reason"].value_or(std::string());
            std::vector<int> since = parse_version(group["since"].value_or(std::string()));
            auto first = static_cast<std::ptrdiff_t>(entries.size());
            for (std::string& name : texts_of(group["libraries"]))
                entries.push_back({std::move(name), reason, since});
            if (group["c_library"].value_or(false)) {
                c_library.family.assign(entries.begin() + first, entries.end());
                c_library.loader = group["loader"].value_or(std::string());
            }
        }
    std::vector<std::string> opened;
    if (const toml::array* list = parsed.table()["opened"].as_array())
        for (const toml::node& node : *list)
            if (const toml::table* one = node.as_table())
                opened.push_back((*one)["library"].value_or(std::string()));
    std::vector<Entry> files;
    if (const toml::array* groups = parsed.table()["files"].as_array())
        for (const toml::node& node : *groups) {
            const toml::table& group = *node.as_table();
            for (std::string& path : texts_of(group["paths"]))
                files.push_back({std::move(path), group["reason"].value_or(std::string())});
        }
    std::vector<PlugIns> plug_ins;
    if (const toml::array* list = parsed.table()["plug_ins"].as_array())
        for (const toml::node& node : *list) {
            const toml::table& one = *node.as_table();
            plug_ins.push_back({one["library"].value_or(std::string()), texts_of(one["paths"]),
                                texts_of(one["without"]), one["place"].value_or(std::string())});
        }
    HostLibraries host(std::move(entries), target);
    host.set_plug_ins(std::move(plug_ins));
    host.set_files(std::move(files));
    host.set_c_library(std::move(c_library));
    host.set_opened(std::move(opened));
    host.set_drivers(texts_of(std::as_const(parsed.table())["drivers"]));
    return host;
}

const HostLibraries::Entry* HostLibraries::find_file(const std::string& path) const {
    for (const Entry& entry : files_)
        if (fits_pattern(path, entry.pattern)) return &entry;
    return nullptr;
}

bool HostLibraries::is_driver(const std::string& name) const {
    return std::ranges::any_of(drivers_,
                               [&](const std::string& pattern) { return fits_pattern(name, pattern); });
}

void HostLibraries::move(const std::vector<std::string>& carried, const std::vector<std::string>& host) {
    carried_ = carried;
    for (const std::string& name : host)
        entries_.push_back({name, "the project says that every system of its users has it"});
}

void HostLibraries::carry_c_library() { c_library_.carried = true; }

bool HostLibraries::is_carried_c_library(const std::string& name) const {
    return c_library_.carried && std::ranges::any_of(c_library_.family, [&](const Entry& entry) {
               return fits_pattern(name, entry.pattern);
           });
}

const HostLibraries::Entry* HostLibraries::find(const std::string& name) const {
    if (is_carried_c_library(name)) return nullptr;
    for (const std::string& pattern : carried_)
        if (fits_pattern(name, pattern)) return nullptr;
    for (const Entry& entry : entries_)
        if (fits_pattern(name, entry.pattern)) return &entry;
    return nullptr;
}

} // namespace omnistasis::native
