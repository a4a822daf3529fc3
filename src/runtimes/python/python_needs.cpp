#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "runtimes/python/cython_strings.h"
#include "runtimes/python/package_data.h"
#include "runtimes/python/python_runtime.h"
#include "support/kept_words.h"
#include "support/pattern.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <fmt/format.h>
#include <unordered_set>
#include <utility>

namespace omnistasis::python {

namespace {

/// Parts of the standard library that nothing imports by a name in a string by chance.
constexpr std::array<std::string_view, 8> never_by_chance{"test", "idlelib",     "turtledemo", "lib2to3",
                                                          "this", "antigravity", "turtle",     "distutils"};

/// Bytes of dotted names.
constexpr auto is_name_byte = [] {
    std::array<bool, 256> table{};
    for (unsigned char c :
         std::string_view("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_."))
        table[c] = true;
    return table;
}();

} // namespace

void PythonRuntime::want_metadata(const Distribution& distribution, const Reason& reason, Expansion& out) {
    fs::path folder = distribution.folder;
    auto add = [&](const fs::path& file, const std::string& place) {
        out.needs.push_back({file_unit(UnitKind::data, file.string(), place), reason});
    };
    std::string base = places_.site_packages() + "/" + folder.filename().string();
    if (distribution.is_file) return add(folder, base);
    for (const char* name : {"METADATA", "PKG-INFO", "entry_points.txt", "top_level.txt"})
        if (is_there(folder / name)) add(folder / name, base + "/" + name);
}

void PythonRuntime::answer_entry_point(const Request& request, const Reason& reason, Expansion& out) {
    std::size_t first = request.module.find('\n');
    std::size_t second = request.module.find('\n', first + 1);
    std::string wanted = request.module.substr(0, first);
    wanted = normalized_distribution_name(wanted.substr(0, wanted.find_first_of("=<>!~ [")));
    std::string group = request.module.substr(first + 1, second - first - 1);
    std::string name = request.module.substr(second + 1);
    for (const Distribution& distribution : installed_.all()) {
        if (distribution.name != wanted) continue;
        want_metadata(distribution, reason, out);
        auto in_group = distribution.entry_points.find(group);
        if (in_group == distribution.entry_points.end()) break;
        if (auto entry = in_group->second.find(name); entry != in_group->second.end())
            return want(entry->second.substr(0, entry->second.find(':')), reason, out);
    }
    out.unanswered.push_back({fmt::format("the entry point {} of {}", name, wanted), reason, {}, {}});
}

void PythonRuntime::apply_metadata(const Unit& unit, const ScanResult& result, Expansion& out) {
    if (places_.is_standard(finder_.find(unit.name).root)) return;
    for (const StringAt& asked : result.distributions) {
        std::string name = normalized_distribution_name(asked.text);
        bool there = false;
        for (const Distribution& distribution : installed_.all())
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

/// The entry points of a group; nothing where it is not the name of one.
void PythonRuntime::want_group(const StringAt& group, const std::string& file, Expansion& out) {
    for (const Distribution& distribution : installed_.all()) {
        auto entries = distribution.entry_points.find(group.text);
        if (entries == distribution.entry_points.end()) continue;
        Reason reason{"asks for the entry points " + group.text + " of", file, group.line, true};
        for (const auto& [name, value] : entries->second) {
            std::string module = value.substr(0, value.find(':'));
            want(module, reason, out);
            const FoundModule& found = finder_.find(module);
            bool is_folder = module == value && found.is_package && found.kind == FoundModule::Kind::source;
            std::lock_guard lock(mutex_);
            if (is_folder) entry_folders_.emplace(module, false);
            entry_modules_.emplace(module, std::pair(&distribution, reason));
        }
    }
}

/// What tells of entry points goes along with the modules that they are, and stays out with them: whoever
/// loads all of a group would stop at one that is not there.
void PythonRuntime::settle_entry_points(const std::unordered_map<std::string, trace::UnitId>& ids,
                                        UnitNeeds& needs) {
    std::lock_guard lock(mutex_);
    for (auto& [module, told] : entry_modules_) {
        auto id = ids.find(module);
        if (told.first == nullptr || id == ids.end()) continue;
        Expansion out;
        want_metadata(*std::exchange(told.first, nullptr), told.second, out);
        // One without an attribute may stand for a folder: a theme is the package that its templates are in.
        auto folder = entry_folders_.find(module);
        if (folder != entry_folders_.end() && !std::exchange(folder->second, true)) {
            const FoundModule& found = finder_.find(module);
            for (Unit& data : all_data_units(parent_folder_of(found.file), found.root, places_))
                out.needs.push_back({std::move(data), told.second});
        }
        for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
    }
}

/// A package without code, of the same top-level package, that a string names where resources are read.
void PythonRuntime::want_data_of_named(const Scanned& scanned, const StringAt& string, Expansion& out) {
    if (top_of(string.text) != top_of(scanned.name) || string.text.find('.') == std::string::npos) return;
    const FoundModule& found = finder_.find(string.text);
    if (!found.is_package && found.kind != FoundModule::Kind::namespace_package) return;
    Reason reason{"names the package of", scanned.file, string.line, true};
    want(string.text, reason, out);
    for (const std::string& folder : found.folders)
        for (const FolderEntry& entry : list_folder(folder))
            if (!entry.is_folder && !entry.name.ends_with(".py"))
                out.needs.push_back({file_unit(UnitKind::data, folder + "/" + entry.name,
                                               places_.of(folder + "/" + entry.name, found.root)),
                                     reason});
}

namespace {

/// In front of all strings of a module, one behind the other, whose lengths are not known.
constexpr const char* uncut_strings = "\n";
/// A word of its own, of modules that a compiler made from Python: their words are names that they import.
constexpr const char* made_from_python = "\t";

/// Compiled modules keep the names that they import as zero-ended strings: all words in one that could be
/// names of modules.
std::vector<std::string> words_of_extension(ByteSpan bytes) {
    std::string_view content = as_text(bytes);
    std::vector<std::string> words;
    auto elf = native::read_elf(bytes, "");
    if (!elf || content.find("PyImport_") == std::string_view::npos) return words;
    std::unordered_set<std::string_view> seen;
    std::vector<ByteSpan> constants;
    for (const native::ElfSegment& segment : elf->segments) {
        constexpr std::uint32_t load = 1, executable = 1;
        if (segment.type != load || (segment.flags & executable) != 0) continue;
        std::string_view text = content.substr(segment.offset, segment.file_size);
        constants.push_back(bytes.subspan(std::min<std::size_t>(segment.offset, bytes.size()), text.size()));
        while (!text.empty()) {
            std::string_view word = text.substr(0, text.find('\0'));
            text.remove_prefix(std::min(word.size() + 1, text.size()));
            bool fits =
                word.size() > 1 && word.size() <= 100 && word.front() != '.' && word.back() != '.' &&
                // The shared part of modules that mypyc made is named after a digest.
                (word.front() < '0' || word.front() > '9' || word.ends_with("__mypyc")) &&
                std::ranges::all_of(word, [](char c) { return is_name_byte[static_cast<unsigned char>(c)]; });
            if (fits && word.find("..") == std::string_view::npos && seen.insert(word).second)
                words.emplace_back(word);
        }
    }
    bool is_made_from_python = std::ranges::any_of(words, [](const std::string& word) {
        return word == "cython_runtime" || word.starts_with("_cython_") || word.ends_with("__mypyc");
    });
    CythonStrings table = cython_strings(constants);
    if (is_made_from_python || !table.strings.empty() || !table.table.empty())
        words.emplace_back(made_from_python);
    if (table.strings.empty() && !table.table.empty()) words.push_back(uncut_strings + table.table);
    for (const std::string& word : table.strings)
        if (word.size() > 1 && word.size() <= 100 && std::ranges::all_of(word, [](char c) {
                return is_name_byte[static_cast<unsigned char>(c)] || c == '/' || c == '-';
            }))
            words.push_back(word);
    return words;
}

} // namespace

void PythonRuntime::scan_extension(const Unit& unit, Expansion& out) {
    if (places_.is_standard(finder_.find(unit.name).root)) return; // the lore knows these
    Reason reason{"holds the name of", unit.file, 0, true};
    std::vector<std::string> words = kept_words(unit.file, "modules 3", *store_, words_of_extension);
    // In others a bare word is the name of a class or function as likely.
    bool from_python = std::ranges::find(words, made_from_python) != words.end();
    for (const std::string& word : words) {
        if (word.starts_with(uncut_strings)) {
            want_names_in(unit, word, reason, out);
            continue;
        }
        want_word(unit, word, from_python, reason, out);
        want_named_data(unit, word, reason, out);
    }
}

/// Whether the distribution that a unit is of says that it requires another.
bool PythonRuntime::requires_distribution(const Unit& unit, const std::string& module) {
    std::string of = normalized_distribution_name(top_of(unit.name));
    std::string wanted = normalized_distribution_name(module);
    for (const Distribution& distribution : installed_.all())
        if (distribution.name == of) return required_distributions(distribution).contains(wanted);
    return false;
}

/// Names of modules in strings that stand one behind the other: what a compiled module is likely to import.
void PythonRuntime::want_names_in(const Unit& unit, const std::string& table, const Reason& reason,
                                  Expansion& out) {
    constexpr std::size_t shortest = 5; // shorter names stand in others by chance
    std::string package = parent_of(unit.name);
    for (const std::string& inside : {std::string(), package})
        for (const std::string& name : finder_.modules_in(inside)) {
            std::string last = name.substr(inside.empty() ? 0 : inside.size() + 1);
            if (last.size() >= shortest && table.find(last) != std::string::npos)
                want_word(unit, last, true, reason, out);
        }
}

/// A word in a compiled module that is the name of a file or folder beside it.
void PythonRuntime::want_named_data(const Unit& unit, const std::string& word, const Reason& reason,
                                    Expansion& out) {
    std::string folder = parent_folder_of(unit.file);
    const FoundModule& found = finder_.find(unit.name);
    if (folder == found.root || !finder_.has_entry(folder, word.substr(0, word.find('/')))) return;
    std::string path = folder + "/" + word;
    Reason names = reason;
    names.verb = "holds the path of";
    if (is_file(path) && !is_code_file(path)) {
        out.needs.push_back({file_unit(kind_by_name(path), path, places_.of(path, found.root)), names});
    } else if (is_folder(path) && !is_there(path + "/__init__.py") && word.size() > 2) {
        for (Unit& data : data_units(path, found.root, places_))
            out.needs.push_back({std::move(data), names});
    }
}

/// A word in a compiled module that is the name of a module which it could import.
void PythonRuntime::want_word(const Unit& unit, const std::string& name, bool from_python,
                              const Reason& reason, Expansion& out) {
    std::string top = top_of(name);
    bool dotted = name.size() > top.size();
    // A relative import keeps the last part of the name only.
    std::string package = parent_of(unit.name);
    if (!dotted && from_python && !package.empty() && finder_.may_have(package, name)) {
        const FoundModule& sibling = finder_.find(package + "." + name);
        if (sibling && sibling.kind != FoundModule::Kind::namespace_package)
            want(package + "." + name, reason, out);
    }
    // `from ..utils._types import x` keeps the name without the packages that it is relative to.
    if (dotted && !finder_.may_have("", top))
        for (std::string above = parent_of(package); !above.empty(); above = parent_of(above))
            if (finder_.may_have(above, top) && finder_.find(above + "." + name))
                return want(above + "." + name, reason, out);
    if (std::ranges::find(never_by_chance, top) != never_by_chance.end() || !finder_.may_have("", top))
        return;
    const FoundModule& module = finder_.find(name);
    if (!module || module.kind == FoundModule::Kind::namespace_package) return;
    if (dotted || places_.is_standard(module.root) || module.kind == FoundModule::Kind::built_in ||
        module.kind == FoundModule::Kind::extension || top == top_of(unit.name) ||
        requires_distribution(unit, top))
        want(name, reason, out);
}

/// Paths of the system's data folders in a package, as distributions write them into packages that they
/// split: the files come along, and the paths lead into the app tree.
void PythonRuntime::want_system_paths(const Unit& unit, const ScanResult& result, Expansion& out) {
    // What belongs to the desktop or to no package in particular.
    static constexpr std::array<std::string_view, 14> shared{
        "fonts", "icons", "themes",  "doc",  "man",    "info",         "locale",
        "mime",  "X11",   "pixmaps", "dict", "sounds", "applications", "glib-2.0"};
    for (const StringAt& string : result.system_paths) {
        std::string path = string.text;
        while (path.size() > 1 && path.ends_with('/')) path.pop_back();
        if (unit.own && want_own_path(unit, path, string.line, out)) continue;
        // An own program that names the system's folder means the system; an installed one its own.
        bool may_be_carried = path.starts_with("/usr/share/") || path.starts_with("/etc/");
        if (!may_be_carried || (unit.own && !project_.is_installed)) continue;
        fs::path inner = fs::path(path).lexically_relative("/usr/share");
        bool in_share = path.starts_with("/usr/share/");
        // A configuration file in /etc is the package's own where it has the package's name.
        if (path.starts_with("/etc/") && !path.starts_with("/etc/ssl/certs/") &&
            path.find(top_of(unit.name)) == std::string::npos)
            continue;
        if (in_share && std::ranges::find(shared, inner.begin()->string()) != shared.end()) continue;
        std::string place = "share/" + (in_share ? inner.string() : path.substr(1));
        Reason reason{"reads", unit.file, string.line, false};
        auto need = [&](const std::string& file, const std::string& to) {
            out.needs.push_back({file_unit(UnitKind::data, file, to), reason});
        };
        if (is_file(path)) {
            need(path, place);
        } else if (in_share && is_folder(path)) {
            for (const std::string& file : readable_files(path, true, {"posix/**", "right/**"}))
                need(path + "/" + file, place + "/" + file);
        } else {
            continue;
        }
        std::lock_guard lock(mutex_);
        moved_[unit.name][path] = place;
    }
}

/// A path in own code that leads to something of the application itself, as it lies on this machine.
bool PythonRuntime::want_own_path(const Unit& unit, const std::string& path, std::uint32_t line,
                                  Expansion& out) {
    if (std::string place = place_of_own_path(path); !place.empty()) {
        if (!project_.is_installed && is_file(path))
            out.needs.push_back(
                {file_unit(kind_by_name(path), path, place), {"reads", unit.file, line, true}});
        std::lock_guard lock(mutex_);
        moved_[unit.name][path] = place;
        return true;
    }
    bool elsewhere =
        (path.starts_with("/home/") || path.starts_with("/opt/") || path.starts_with("/root/")) &&
        relative_to(path, facts_.prefix).empty() && is_there(path);
    if (elsewhere)
        out.loose_ends.push_back(
            {.kind = "absolute-path",
             .what = fmt::format("`{}` is a path of this machine", path),
             .file = unit.file,
             .line = line,
             .effect = "other machines do not have it",
             .advice = "put the file into the project and name it relative to the source, or use --asset"});
    return elsewhere;
}

/// Text encodings are modules that are found by their names (codecs, "Standard Encodings").
void PythonRuntime::want_codecs(const ScanResult& result, const std::string& file, bool own, bool standard,
                                Expansion& out) {
    for (const StringAt& codec : result.codecs) {
        std::string name;
        for (char c : codec.text)
            name +=
                c == '-' || c == ' ' ? '_' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        if (auto alias = facts_.codecs.find(name); alias != facts_.codecs.end()) name = alias->second;
        bool is_name = !name.empty() &&
                       name.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_") == std::string::npos;
        if (is_name && name != "aliases" && finder_.find("encodings." + name))
            want("encodings." + name, {"names the encoding", file, codec.line, true}, out);
    }
    // A package that passes a codec's name on has it from its caller; one that reads texts from outside from
    // anywhere.
    auto reads_texts = [](const Request& request) {
        static constexpr std::array<std::string_view, 6> sources{
            "codecs", "email", "http", "chardet", "charset_normalizer", "encodings"};
        return request.level == 0 && std::ranges::find(sources, top_of(request.module)) != sources.end();
    };
    bool from_anywhere = own || (!standard && std::ranges::any_of(result.requests, reads_texts));
    if (result.computed_codec != 0 && from_anywhere)
        want_pattern(
            "encodings.*",
            {"computes the name of an encoding, so brings in all:", file, result.computed_codec, true}, out);
}

/// Libraries that code opens by itself, with ctypes, cffi or the like.
void PythonRuntime::want_opened_libraries(const Unit& unit, const ScanResult& scan, Expansion& out) {
    for (const StringAt& library : scan.libraries) {
        // Packages try one name after the other.
        Reason reason{"opens the library", unit.file, library.line, true};
        bool beside = is_there(fs::path(unit.file).parent_path() / library.text) ||
                      is_there(project_.folder / library.text);
        if (beside || trace::want_opened_library(library.text, reason, out) || !unit.own) continue;
        out.loose_ends.push_back({.kind = "missing-library",
                                  .what = fmt::format("{} is not found", library.text),
                                  .file = unit.file,
                                  .line = library.line,
                                  .effect = "the call that opens it fails, as it does from source",
                                  .advice = "install the package that holds the library",
                                  .minor = true});
    }
    if (unit.own && scan.computed_library != 0 && scan.libraries.empty())
        out.loose_ends.push_back(
            {.kind = "computed-library",
             .what = "a library is opened by a computed name",
             .file = unit.file,
             .line = scan.computed_library,
             .effect = "the library is missing from the output unless something else brings it in",
             .advice = "run it with `omnistasis rehearse`, or carry the library with --asset"});
}

/// A package whose parts are loaded when they are used, and are listed in a stub file beside its own.
void PythonRuntime::want_stubs(const Unit& unit, const std::string& module, Expansion& out) {
    std::string file = unit.file + "i";
    auto result = scans_.scan_file(file, module, module, scan_facts_);
    if (!result) return;
    out.needs.push_back(
        {file_unit(UnitKind::data, file, unit.place + "i"), {"reads the stub file", unit.file, 0, false}});
    Unit from = unit;
    from.name = module;
    from.file = file;
    for (Request request : result->requests) {
        request.certainty = Certainty::guarded;
        answer(from, request, out);
    }
}

/// Whether what lies in the system's folders may belong to a module: not where its distribution brings its
/// own native libraries, which have data of their own version.
bool PythonRuntime::goes_with_system(const Unit& unit) {
    if (unit.of_runtime || unit.file.empty() || unit.file.starts_with("/usr/")) return true;
    const Distribution* owner = installed_.owner_of(unit.file);
    if (owner == nullptr) return true;
    {
        std::lock_guard lock(mutex_);
        if (auto known = brings_libraries_.find(owner->name); known != brings_libraries_.end())
            return !known->second;
    }
    auto brings = [this](const Distribution& one) {
        return std::ranges::any_of(files_of(one), [this](const DistributionFile& file) {
            return is_library_name(fs::path(file.path).filename().string()) && !is_code_file(file.path) &&
                   !file.path.ends_with(".abi3.so");
        });
    };
    bool found = brings(*owner);
    // The libraries may be a distribution of their own, in the same folder.
    std::set<std::string> tops = top_level_modules(*owner);
    for (const Distribution* required : required_by(*owner, {}))
        if (!found && std::ranges::any_of(top_level_modules(*required),
                                          [&](const std::string& top) { return tops.contains(top); }))
            found = brings(*required);
    std::lock_guard lock(mutex_);
    brings_libraries_[owner->name] = found;
    return !found;
}

void PythonRuntime::apply_lore(const Unit& unit, Expansion& out) {
    std::size_t number = 0;
    for (const LoreEntry* known : lore_of(unit.name)) {
        const LoreEntry& lore_entry = *known;
        bool found_data = lore_entry.data.empty();
        std::string name = fmt::format("{}/{}", unit.name, number++);
        Reason reason{"brings in, by package lore,", unit.file, 0, true};
        for (const std::string& pattern : lore_entry.include) want_pattern(pattern, reason, out);
        for (const std::string& library : lore_entry.libraries)
            trace::want_opened_library(library, reason, out);
        auto want_as_file = [&](const std::string& name) {
            const FoundModule& found = finder_.find(name);
            if (found.kind != FoundModule::Kind::source) return;
            want(name, reason, out);
            out.needs.push_back(
                {file_unit(UnitKind::data, found.file, places_.of(found.file, found.root)), reason});
        };
        for (const std::string& name : lore_entry.as_files) {
            if (!name.ends_with(".*")) {
                want_as_file(name);
                continue;
            }
            // Whoever lists the files sees the packages among them too.
            std::string package = name.substr(0, name.size() - 2);
            for (const std::string& module : finder_.modules_in(package)) want_as_file(module);
        }
        auto is_installed = [&](const std::string& module) { return !!finder_.find(module); };
        if (auto first = std::ranges::find_if(lore_entry.one_of, is_installed);
            first != lore_entry.one_of.end())
            want_pattern(*first, {"can't do without", unit.file, 0, false}, out);
        auto with_words = [&](std::string path) {
            for (auto [word, value] : {std::pair<std::string, std::string>{"{prefix}", facts_.base_prefix},
                                       {"{package}", fs::path(unit.file).parent_path().string()},
                                       {"{lore}", lore_folder_.string()}})
                if (std::size_t at = path.find(word); at != std::string::npos)
                    path.replace(at, word.size(), value);
            return path;
        };
        for (const LoreData& data : lore_entry.data) {
            for (std::string candidate : data.from) {
                candidate = with_words(candidate);
                bool of_system = data.of_system || candidate.starts_with("/usr/");
                if (of_system && !goes_with_system(unit)) continue;
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
                std::string to =
                    data.to.empty() ? places_.of(candidate, finder_.find(unit.name).root) : data.to;
                for (const std::string& file : all_files(candidate, data.without)) {
                    std::string place = to + "/" + file;
                    UnitKind kind = is_library_name(file) ? UnitKind::native : UnitKind::data;
                    Reason why = reason;
                    why.optional = std::ranges::none_of(data.needed, [&](const std::string& pattern) {
                        return fits_pattern(file, pattern, '/');
                    });
                    out.needs.push_back({file_unit(kind, candidate + "/" + file, place), why});
                }
                break;
            }
        }
        if (!found_data) {
            std::lock_guard lock(mutex_);
            idle_lore_.insert(std::move(name));
        }
    }
}

} // namespace omnistasis::python
