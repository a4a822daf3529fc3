// Libraries that Python reaches through descriptions (GObject introspection).
#include "runtimes/python/introspected_libraries.h"

#include "runtimes/python/typelib.h"
#include "support/files.h"
#include "trace/opened_library.h"

#include <algorithm>

namespace omnistasis::python {

namespace {

/// What is imported of a module's requests: the library's name, where it is one.
std::string library_of(const Request& request) {
    constexpr std::string_view package = "gi.repository.";
    if (request.level == 0 && request.module == "gi.repository") return request.name;
    return request.module.starts_with(package) ? request.module.substr(package.size()) : std::string();
}

} // namespace

/// Descriptions, those that they depend on, and the libraries themselves. Whether they are there and none of
/// them opens windows.
bool IntrospectedLibraries::want_typelib(const std::string& name, const std::vector<std::string>& files,
                                         const Reason& reason, Expansion& out) {
    imports_.want("gi.overrides." + name, reason, out);
    std::vector<std::string> open = files;
    std::set<std::string> seen;
    bool opens_windows = false;
    for (std::size_t i = 0; i < open.size(); ++i) {
        auto file = MappedFile::open(open[i]);
        if (open[i].empty() || !seen.insert(open[i]).second || !file) continue;
        auto typelib = read_typelib(file->bytes());
        if (!typelib) continue;
        // Those that it depends on are loaded with it, and their overrides with them.
        std::string stem = fs::path(open[i]).stem().string();
        std::string library = stem.substr(0, stem.rfind('-'));
        opens_windows |= library == "Gdk";
        std::string overrides = "gi.overrides." + library;
        if (ground_.finder.find(overrides)) imports_.want(overrides, reason, out);
        std::string place = "lib/girepository-1.0/" + fs::path(open[i]).filename().string();
        out.needs.push_back({file_unit(UnitKind::data, open[i], place), reason});
        for (const std::string& dependency : typelib->dependencies) {
            std::size_t dash = dependency.rfind('-');
            if (dash != std::string::npos)
                open.push_back(find_typelib(dependency.substr(0, dash), {dependency.substr(dash + 1)}));
        }
        for (const std::string& file_name : typelib->libraries)
            trace::want_opened_library(fs::path(file_name).filename().string(), reason, out);
    }
    return !seen.empty() && !opens_windows;
}

void IntrospectedLibraries::settle_typelibs(const UnitIds& ids, UnitNeeds& needs) {
    std::vector<std::pair<const Scanned*, trace::UnitId>> fresh;
    for (const Scanned& scanned : gathered_.scanned) {
        auto id = ids.find(scanned.name);
        bool has_any = !scanned.result.library_versions.empty() ||
                       std::ranges::any_of(scanned.result.requests,
                                           [](const Request& one) { return !library_of(one).empty(); });
        if (!has_any || id == ids.end() || companions_.only_goes_along(scanned)) continue;
        if (settled_.insert(scanned.name).second) fresh.emplace_back(&scanned, id->second);
    }
    for (const auto& [scanned, id] : fresh)
        for (const StringAt& said : scanned->result.library_versions) {
            std::size_t dash = said.text.rfind('-');
            gathered_.library_versions[said.text.substr(0, dash)].insert(said.text.substr(dash + 1));
        }
    for (const auto& [scanned, id] : fresh) {
        Expansion out;
        bool is_windowless = true;
        for (const StringAt& said : scanned->result.library_versions) {
            std::size_t dash = said.text.rfind('-');
            std::string name = said.text.substr(0, dash),
                        file = find_typelib(name, {said.text.substr(dash + 1)});
            if (file.ends_with("/" + said.text + ".typelib"))
                is_windowless &= want_typelib(
                    name, {file}, {"asks for the introspected library", scanned->file, said.line, true}, out);
        }
        for (const Request& request : scanned->result.requests) {
            std::string name = library_of(request);
            if (name.empty()) continue;
            std::vector<std::string> files;
            if (auto known = gathered_.library_versions.find(name); known != gathered_.library_versions.end())
                for (const std::string& version : known->second)
                    files.push_back(find_typelib(name, {version}));
            if (files.empty()) {
                std::vector<std::string> versions;
                for (const StringAt& text : scanned->result.path_strings) versions.push_back(text.text);
                files.push_back(find_typelib(name, versions));
            }
            is_windowless &= want_typelib(
                name, files, {"imports, as an introspected library,", scanned->file, request.line, true},
                out);
        }
        gathered_.is_way_to_library |= is_windowless;
        for (Need& need : out.needs) needs.emplace_back(id, std::move(need));
        std::ranges::move(out.loose_ends, std::back_inserter(gathered_.ends));
    }
}

} // namespace omnistasis::python
