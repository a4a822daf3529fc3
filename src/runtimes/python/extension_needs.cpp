#include "runtimes/python/extension_needs.h"

#include "native/constant_parts.h"
#include "runtimes/python/cython_strings.h"
#include "runtimes/python/package_data.h"
#include "support/kept_words.h"

#include <algorithm>
#include <array>
#include <unordered_set>

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

/// In front of all strings of a module, one behind the other, whose lengths are not known.
constexpr const char* uncut_strings = "\n";
/// A word of its own, of modules that a compiler made from Python: their words are names that they import.
constexpr const char* made_from_python = "\t";

/// Compiled modules keep the names that they import as zero-ended strings: all words in one that could be
/// names of modules.
std::vector<std::string> words_of_extension(ByteSpan bytes) {
    std::string_view content = as_text(bytes);
    std::vector<std::string> words;
    if (content.find("PyImport_") == std::string_view::npos) return words;
    std::unordered_set<std::string_view> seen;
    std::vector<ByteSpan> constants = native::constant_parts(bytes);
    for (ByteSpan part : constants) {
        std::string_view text = as_text(part);
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

void ExtensionNeeds::scan_extension(const Unit& unit, Expansion& out) {
    if (ground_.places.is_standard(ground_.finder.find(unit.name).root)) return; // the lore knows these
    Reason reason{"holds the name of", unit.file, 0, true};
    std::vector<std::string> words = kept_words(unit.file, "modules 4", *ground_.store, words_of_extension);
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
    if (!from_python) want_required(unit, reason, out);
}

/// Texts of some compilers stand one behind the other, with no end of their own. In those only modules count
/// of distributions that the unit's own requires.
void ExtensionNeeds::want_required(const Unit& unit, const Reason& reason, Expansion& out) {
    constexpr std::size_t shortest = 5; // shorter names stand in others by chance
    const Distribution* owner = ground_.installed.owner_of(unit.file);
    if (owner == nullptr) return;
    std::vector<const Distribution*> required = ground_.required_by(*owner, {});
    auto content =
        required.empty() ? Result<MappedFile>(fail(ErrorKind::bad_input, "")) : MappedFile::open(unit.file);
    if (!content) return;
    for (const Distribution* one : required)
        for (const std::string& top : top_level_modules(*one))
            if (top.size() >= shortest && content->text().find(top) != std::string_view::npos)
                imports_.want(top, reason, out);
}

/// Whether the distribution that a unit is of says that it requires another.
bool ExtensionNeeds::requires_distribution(const Unit& unit, const std::string& module) {
    std::string of = normalized_distribution_name(top_of(unit.name));
    std::string wanted = normalized_distribution_name(module);
    for (const Distribution& distribution : ground_.installed.all())
        if (distribution.name == of) return required_distributions(distribution).contains(wanted);
    return false;
}

/// Names of modules in strings that stand one behind the other: what a compiled module is likely to import.
void ExtensionNeeds::want_names_in(const Unit& unit, const std::string& table, const Reason& reason,
                                   Expansion& out) {
    constexpr std::size_t shortest = 5; // shorter names stand in others by chance
    std::string package = parent_of(unit.name);
    for (const std::string& inside : {std::string(), package})
        for (const std::string& name : ground_.finder.modules_in(inside)) {
            std::string last = name.substr(inside.empty() ? 0 : inside.size() + 1);
            if (last.size() >= shortest && table.find(last) != std::string::npos)
                want_word(unit, last, true, reason, out);
        }
}

/// Whether lore says what of a folder of a package goes along: then its name alone asks for no more of it.
bool ExtensionNeeds::lore_knows_parts_of(const std::string& folder, const std::string& package) const {
    std::string start = "{package}/" + folder + "/";
    return std::ranges::any_of(ground_.lore, [&](const auto& entry) {
        return top_of(entry.first) == package &&
               std::ranges::any_of(entry.second.data, [&](const LoreData& data) {
                   return std::ranges::any_of(
                       data.from, [&](const std::string& from) { return from.starts_with(start); });
               });
    });
}

/// A word in a compiled module that is the name of a file or folder beside it.
void ExtensionNeeds::want_named_data(const Unit& unit, const std::string& word, const Reason& reason,
                                     Expansion& out) {
    std::string folder = parent_folder_of(unit.file);
    const FoundModule& found = ground_.finder.find(unit.name);
    if (folder == found.root || !ground_.finder.has_entry(folder, word.substr(0, word.find('/')))) return;
    std::string path = folder + "/" + word;
    Reason names = reason;
    names.verb = "holds the path of";
    if (is_file(path) && !ground_.is_code_file(path)) {
        out.needs.push_back(
            {file_unit(kind_by_name(path), path, ground_.places.of(path, found.root)), names});
    } else if (is_folder(path) && !is_there(path + "/__init__.py") && word.size() > 2 &&
               !lore_knows_parts_of(word, top_of(unit.name))) {
        for (Unit& data : data_units(path, found.root, ground_.places))
            out.needs.push_back({std::move(data), names});
    }
}

/// A word in a compiled module that is the name of a module which it could import.
void ExtensionNeeds::want_word(const Unit& unit, const std::string& name, bool from_python,
                               const Reason& reason, Expansion& out) {
    std::string top = top_of(name);
    bool dotted = name.size() > top.size();
    // A relative import keeps the last part of the name only.
    std::string package = parent_of(unit.name);
    if (!dotted && from_python && !package.empty() && ground_.finder.may_have(package, name)) {
        const FoundModule& sibling = ground_.finder.find(package + "." + name);
        if (sibling && sibling.kind != FoundModule::Kind::namespace_package)
            imports_.want(package + "." + name, reason, out);
    }
    // `from ..utils._types import x` keeps the name without the packages that it is relative to.
    if (dotted && !ground_.finder.may_have("", top))
        for (std::string above = parent_of(package); !above.empty(); above = parent_of(above))
            if (ground_.finder.may_have(above, top) && ground_.finder.find(above + "." + name))
                return imports_.want(above + "." + name, reason, out);
    if (std::ranges::find(never_by_chance, top) != never_by_chance.end() || !ground_.finder.may_have("", top))
        return;
    const FoundModule& module = ground_.finder.find(name);
    if (!module || module.kind == FoundModule::Kind::namespace_package) return;
    if (dotted || ground_.places.is_standard(module.root) || module.kind == FoundModule::Kind::built_in ||
        module.kind == FoundModule::Kind::extension || top == top_of(unit.name) ||
        requires_distribution(unit, top))
        imports_.want(name, reason, out);
}

} // namespace omnistasis::python
