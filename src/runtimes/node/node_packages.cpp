// What comes with a package besides the files that its code asks for.
#include "native/native_kind.h"
#include "runtimes/node/node_runtime.h"
#include "support/pattern.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::node {

namespace {

/// Whether a list of a package.json, with `!x` for what is not meant, allows a word.
bool allows(const std::vector<std::string>& list, const std::string& word) {
    if (list.empty()) return true;
    bool named = false, any_positive = false;
    for (const std::string& one : list) {
        if (one.starts_with('!')) {
            if (one.substr(1) == word) return false;
        } else {
            any_positive = true;
            named |= one == word || one == "any";
        }
    }
    return named || !any_positive;
}

} // namespace

bool NodeRuntime::fits_target(const PackageJson& package) const {
    bool c_library = facts_.system != "linux" || allows(package.c_libraries, "glibc");
    return allows(package.systems, facts_.system) && allows(package.processors, facts_.processor) &&
           c_library;
}

bool NodeRuntime::is_addon_for_target(const std::string& file) const {
    // Builds for another C library of the same system differ in their names alone.
    return native::kind_of(file).fits(facts_.target) && file.find("musl") == std::string::npos;
}

/// A package is known by its package.json; it is expanded once for each place that it has.
void NodeRuntime::expand_package(const Unit& unit, const PackageJson& package, Expansion& out) {
    if (unit.own || parent_folder_of(unit.file) != placement_.package_root(unit.file)) {
        if (!package.error.empty() && !unit.own) return;
    }
    if (package.name.empty()) return;
    want_parts_for_system(unit, package, out);
    want_addons(unit, package, out);
    apply_lore(unit, package, out);
}

/// Packages that are made for one system and processor each, of which the package uses the one that fits.
void NodeRuntime::want_parts_for_system(const Unit& unit, const PackageJson& package, Expansion& out) {
    bool has_parts = false, has_fitting = false;
    std::string example;
    for (const std::string& name : package.may_need) {
        std::string folder = resolver_.package_folder(name, unit.file);
        auto part = folder.empty() ? nullptr : resolver_.package_in(folder);
        bool named_for_system = name.find("linux") != std::string::npos ||
                                name.find("darwin") != std::string::npos ||
                                name.find("win32") != std::string::npos;
        if (!part) {
            has_parts |= named_for_system;
            bool fits_name = name.find(facts_.system) != std::string::npos &&
                             name.find(facts_.processor) != std::string::npos &&
                             name.find("musl") == std::string::npos;
            if (fits_name && example.empty()) example = name;
            continue;
        }
        if (part->systems.empty() && part->processors.empty()) continue;
        has_parts = true;
        if (!fits_target(*part)) continue;
        has_fitting = true;
        Reason reason{"is the part for the target of", unit.file, 0, true};
        Found found = resolver_.resolve(name, unit.file, false);
        if (found.kind == Found::Kind::file) want_file(found, unit, name, reason, out);
        // A program is started by its path.
        std::string real = resolver_.real(folder + "/package.json");
        Unit of_part = unit_of(real, placement_.place_of(real, unit.file, unit.place, name));
        out.needs.push_back({of_part, reason});
        for (const char* inner : {"bin", "lib"}) {
            std::string programs = parent_folder_of(real) + "/" + inner;
            if (resolver_.has_folder(programs)) want_folder(of_part, programs, programs + "/**", reason, out);
        }
    }
    if (has_parts && !has_fitting && facts_.system != "linux")
        out.loose_ends.push_back(
            {.kind = "unfit-package",
             .what = fmt::format("{} has a part for each system, and none for {} on {} is installed",
                                 package.name, facts_.system, facts_.processor),
             .file = unit.file,
             .line = 0,
             .effect = "the application may stop when it uses the package",
             .advice = fmt::format("npm install --force --no-save {}",
                                   example.empty() ? "its part for the target" : example)});
}

/// Native addons that are looked for in the package's folder by a name that is computed: all that fit the
/// target, in the folders where such are kept.
void NodeRuntime::want_addons(const Unit& unit, const PackageJson& package, Expansion& out) {
    auto asks = [&](const char* name) {
        return std::ranges::find(package.needs, name) != package.needs.end();
    };
    bool by_name = asks("bindings") || asks("node-gyp-build") || asks("prebuild-install") ||
                   asks("@mapbox/node-pre-gyp") || asks("node-gyp-build-optional-packages") ||
                   asks("node-addon-api");
    std::string root = parent_folder_of(unit.file);
    bool has_folder =
        resolver_.has_folder(root + "/prebuilds") || resolver_.has_folder(root + "/build/Release");
    if (!by_name && !has_folder) return;
    Reason reason{"is a native addon of", unit.file, 0, true};
    std::size_t before = out.needs.size();
    bool any = false;
    for (const char* folder :
         {"prebuilds", "build/Release", "build/Debug", "lib/binding", "binding", "compiled"}) {
        std::string at = root + "/" + folder;
        if (!resolver_.has_folder(root + "/" +
                                  std::string(folder).substr(0, std::string(folder).find('/'))) ||
            !resolver_.has_folder(at))
            continue;
        any = true;
        want_folder(unit, at, at + "/**.node", reason, out);
    }
    if (any && out.needs.size() == before)
        out.loose_ends.push_back(
            {.kind = "unfit-package",
             .what = fmt::format("the native addon of {} is only there for other systems than {} on {}",
                                 package.name, facts_.system, facts_.processor),
             .file = unit.file,
             .line = 0,
             .effect = "the application stops when it loads the addon",
             .advice = "install the package on or for the target's system"});
}

void NodeRuntime::apply_lore(const Unit& unit, const PackageJson& package, Expansion& out) {
    auto [first, last] = lore_.equal_range(package.name);
    std::string root = parent_folder_of(unit.file);
    for (auto lore_entry = first; lore_entry != last; ++lore_entry) {
        Reason reason{"has package lore on", unit.file, 0, true};
        for (const std::string& name : lore_entry->second.include) {
            Found found = resolver_.resolve(name, root + "/package.json", false);
            if (found.kind != Found::Kind::file && name.starts_with("./"))
                found = resolver_.find_file(root + name.substr(1));
            // Its `exports` do not bind whoever starts a file by its path.
            std::string package_of_name = package_name(name);
            if (found.kind == Found::Kind::forbidden)
                found =
                    resolver_.find_file(resolver_.package_folder(package_of_name, root + "/package.json") +
                                        name.substr(package_of_name.size()));
            if (found.kind == Found::Kind::file) want_file(found, unit, package_name(name), reason, out);
        }
        for (const std::string& pattern : lore_entry->second.data)
            want_folder(unit, root, root + "/" + pattern, reason, out);
        if (lore_entry->second.loads.empty()) continue;
        // Plugins are found from the project, and only those that it names itself are meant.
        auto own = resolver_.package_in(placement_.base());
        if (!own) continue;
        for (const std::string& name : own->needs)
            for (const std::string& pattern : lore_entry->second.loads) {
                if (!fits_pattern(name, pattern)) continue;
                Found found = resolver_.resolve(name, placement_.base() + "/package.json", false);
                if (found.kind == Found::Kind::file) want_file(found, unit, name, reason, out);
            }
    }
}

} // namespace omnistasis::node
