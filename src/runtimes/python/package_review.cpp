// What somebody wants to know before an application is given away: of which packages it is, what it reads of
// the environment, what it imports before it is needed.
#include "runtimes/python/package_review.h"

#include "runtimes/python/distributions.h"
#include "runtimes/python/lexer.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

namespace omnistasis::python {

namespace {

/// Names of files that hold a licence, or belong to one.
bool is_licence_file(const std::string& name) {
    for (std::string_view start : {"LICEN", "Licen", "licen", "COPYING", "Copying", "NOTICE", "COPYRIGHT"})
        if (name.starts_with(start)) return !name.ends_with(".py") && !name.ends_with(".pyc");
    return false;
}

void add_licence_files(const std::string& folder, std::vector<std::string>& files) {
    for (const FolderEntry& entry : list_folder(folder))
        if (!entry.is_folder && is_licence_file(entry.name)) files.push_back(folder + "/" + entry.name);
}

/// The metadata's fields (PyPA core metadata): up to the first empty line, values over several lines put
/// together.
void read_metadata(std::string_view text, trace::Package& package) {
    std::string key, value;
    auto take = [&] {
        if (key == "License-Expression") package.licence_expression = value;
        if (key == "License" && !value.empty() && value != "UNKNOWN") package.licence_names.push_back(value);
        if (key == "Classifier" && value.starts_with("License :: ") && value != "License :: OSI Approved") {
            std::size_t last = value.rfind(":: ");
            package.licence_names.push_back(value.substr(last + 3));
        }
        if (key == "Home-page" && package.homepage.empty() && value != "UNKNOWN") package.homepage = value;
        if (key == "Project-URL" && package.homepage.empty())
            if (std::size_t comma = value.find(", "); comma != std::string::npos)
                package.homepage = value.substr(comma + 2);
        if (key == "Name") package.name = value;
        if (key == "Version" && package.version.empty()) package.version = value;
        key.clear();
        value.clear();
    };
    while (!text.empty()) {
        std::size_t end = std::min(text.find('\n'), text.size());
        std::string_view line = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        while (!line.empty() && line.back() == '\r') line.remove_suffix(1);
        if (line.empty()) break;
        if (line.front() == ' ' || line.front() == '\t') {
            value += '\n';
            if (std::size_t start = line.find_first_not_of(" \t"); start != std::string_view::npos)
                value += line.substr(start);
            continue;
        }
        take();
        std::size_t colon = line.find(':');
        if (colon == std::string_view::npos) continue;
        key = line.substr(0, colon);
        std::size_t start = line.find_first_not_of(' ', colon + 1);
        value = start == std::string_view::npos ? "" : std::string(line.substr(start));
    }
    take();
}

} // namespace

std::vector<trace::Package> PackageReview::packages(const std::vector<Unit>& units) {
    std::vector<trace::Package> found;
    std::map<std::string, std::vector<std::size_t>> by_top; // modules, packages that bring them
    for (const Distribution& distribution : find_distributions(ground_.facts.search_path)) {
        trace::Package package{distribution.name, distribution.version, "pypi", {}, {}, {}, {}, {}, {}};
        for (const std::string& top : top_level_modules(distribution)) by_top[top].push_back(found.size());
        package.metadata_file =
            distribution.is_file ? distribution.folder : distribution.folder + "/METADATA";
        if (!is_file(package.metadata_file)) package.metadata_file = distribution.folder + "/PKG-INFO";
        found.push_back(std::move(package));
    }
    // A name that several distributions share is that of the one of this name, else everybody's.
    auto owner_of = [&](const std::string& top) -> std::size_t {
        auto known = by_top.find(top);
        if (known == by_top.end()) return found.size();
        std::string name = normalized_distribution_name(top);
        for (std::size_t index : known->second)
            if (found[index].name == name) return index;
        return known->second.front();
    };
    std::map<std::string, std::size_t> by_folder; // of top-level packages on disk
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        if (!trace::is_module(unit.kind) || unit.own || unit.of_runtime) continue;
        std::size_t owner = owner_of(top_of(unit.name));
        if (owner == found.size()) continue;
        found[owner].units.push_back(id);
        std::string folder = unit.file;
        for (std::size_t up = 1 + static_cast<std::size_t>(std::ranges::count(unit.name, '.')); up > 0; --up)
            folder = folder.substr(0, folder.rfind('/'));
        if (unit.file.ends_with("__init__.py")) folder = folder.substr(0, folder.rfind('/'));
        if (!unit.file.empty()) by_folder.emplace(folder + "/" + top_of(unit.name) + "/", owner);
    }
    for (trace::UnitId id = 0; id < units.size(); ++id) {
        const Unit& unit = units[id];
        if (trace::is_module(unit.kind) || unit.own || unit.of_runtime || unit.file.empty()) continue;
        std::string folder = unit.file;
        for (std::size_t slash = folder.rfind('/'); slash != std::string::npos && slash > 0;
             slash = folder.rfind('/')) {
            folder.resize(slash);
            auto owner = by_folder.find(folder + "/");
            // "numpy.libs" beside "numpy": where wheels put the libraries that they bring.
            if (owner == by_folder.end() && folder.ends_with(".libs"))
                owner = by_folder.find(folder.substr(0, folder.size() - 5) + "/");
            if (owner != by_folder.end()) {
                found[owner->second].units.push_back(id);
                break;
            }
            if (!folder.ends_with("-info")) continue;
            auto of_metadata = std::ranges::find_if(found, [&](const trace::Package& package) {
                return package.metadata_file.starts_with(folder + "/");
            });
            if (of_metadata != found.end()) {
                of_metadata->units.push_back(id);
                break;
            }
        }
    }
    std::erase_if(found, [](const trace::Package& package) { return package.units.empty(); });
    for (trace::Package& package : found) {
        std::string folder = fs::path(package.metadata_file).parent_path().string();
        if (folder.ends_with("-info")) {
            add_licence_files(folder, package.licence_files);
            add_licence_files(folder + "/licenses", package.licence_files);
        }
        std::string name = package.name;
        if (auto text = read_text(package.metadata_file)) read_metadata(*text, package);
        package.name = name;
    }
    std::ranges::sort(found, {}, &trace::Package::name);
    return found;
}

trace::Package PackageReview::own_package() {
    trace::Package package{
        "python", "", "generic", "", {"PSF-2.0"}, {}, "https://www.python.org", ground_.facts.program, {}};
    for (const std::string& folder : {ground_.facts.base_prefix, ground_.facts.standard_library})
        for (const char* name : {"LICENSE.txt", "LICENSE"})
            if (is_file(fs::path(folder) / name)) package.licence_files.push_back(folder + "/" + name);
    if (package.licence_files.size() > 1) package.licence_files.resize(1);
    return package;
}

std::vector<trace::VariableRead> PackageReview::variables_read(const Unit& unit) {
    std::vector<trace::VariableRead> found;
    auto source = MappedFile::open(unit.file);
    if (!source || unit.kind != UnitKind::code) return found;
    Lexer lexer(source->text());
    for (std::vector<Token> line; lexer.next_line(line);)
        for (std::size_t i = 0; i + 2 < line.size(); ++i) {
            std::size_t at = i + 1;
            if (line[i].is("environ")) {
                // environ["X"], environ.get("X"), .pop, .setdefault; not environ["X"] = ...
                if (line[at].is(".") && at + 2 < line.size() &&
                    (line[at + 1].is("get") || line[at + 1].is("pop") || line[at + 1].is("setdefault")))
                    at += 2;
                else if (!line[at].is("["))
                    continue;
            } else if (!line[i].is("getenv") && !line[i].is("getenvb")) {
                continue;
            }
            bool opens = line[at].is("(") || line[at].is("[");
            if (!opens || at + 1 >= line.size() || line[at + 1].kind != TokenKind::string ||
                line[at + 1].formatted)
                continue;
            bool is_set = line[at].is("[") && at + 3 < line.size() && line[at + 3].is("=");
            if (!is_set) found.push_back({string_value(line[at + 1]), line[at + 1].line});
        }
    return found;
}

std::vector<trace::EarlyImport> PackageReview::imports_that_could_wait(const Unit& unit) {
    std::vector<trace::EarlyImport> imports;
    auto source = MappedFile::open(unit.file);
    if (!source || unit.kind != UnitKind::code) return imports;
    std::map<std::string, std::size_t> bound; // names, to their imports
    std::vector<bool> used_early, used_late;
    Lexer lexer(source->text());
    std::uint32_t function = 0; // the column of the innermost outermost `def`; 0: none
    bool in_function = false;
    for (std::vector<Token> line; lexer.next_line(line);) {
        std::uint32_t indent = lexer.indent();
        if (in_function && indent <= function) in_function = false;
        bool defines = line[0].is("def") || (line[0].is("async") && line.size() > 1 && line[1].is("def"));
        std::size_t from = 0;
        if (indent == 0 && line[0].is("import")) {
            for (std::size_t i = 1; i < line.size();) {
                std::string module;
                std::uint32_t at = line[i].line;
                for (; i < line.size() && !line[i].is(",") && !line[i].is("as"); ++i) module += line[i].text;
                std::string name = top_of(module);
                if (i + 1 < line.size() && line[i].is("as")) {
                    name = line[i + 1].text;
                    i += 2;
                }
                ++i;
                bound.emplace(name, imports.size());
                imports.push_back({module, at});
            }
            continue;
        }
        if (indent == 0 && line[0].is("from")) {
            std::string module;
            std::size_t i = 1;
            for (; i < line.size() && !line[i].is("import"); ++i) module += line[i].text;
            if (module.starts_with('.') || module == "__future__") continue;
            for (++i; i < line.size(); ++i) {
                if (line[i].kind != TokenKind::name || line[i].is("as")) continue;
                bool renamed = i + 1 < line.size() && line[i + 1].is("as");
                if (!renamed) bound.emplace(std::string(line[i].text), imports.size());
            }
            imports.push_back({module, line[0].line});
            continue;
        }
        used_early.resize(imports.size());
        used_late.resize(imports.size());
        for (std::size_t i = from; i < line.size(); ++i) {
            if (line[i].kind != TokenKind::name || (i > 0 && line[i - 1].is("."))) continue;
            auto import = bound.find(std::string(line[i].text));
            if (import == bound.end()) continue;
            // What stands in the line of a `def` itself is worked out when the line is reached.
            (in_function ? used_late : used_early)[import->second] = true;
        }
        if (defines && !in_function) {
            in_function = true;
            function = indent;
        }
    }
    used_early.resize(imports.size());
    used_late.resize(imports.size());
    std::vector<trace::EarlyImport> could;
    for (std::size_t i = 0; i < imports.size(); ++i)
        if (used_late[i] && !used_early[i]) could.push_back(imports[i]);
    return could;
}

} // namespace omnistasis::python
