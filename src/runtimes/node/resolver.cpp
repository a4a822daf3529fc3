#include "runtimes/node/resolver.h"

#include "support/files.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <fmt/format.h>

namespace omnistasis::node {

namespace {

/// The modules in the runtime itself (documentation, `module.builtinModules`).
constexpr std::array<std::string_view, 50> built_in_modules{"assert",
                                                            "async_hooks",
                                                            "buffer",
                                                            "child_process",
                                                            "cluster",
                                                            "console",
                                                            "constants",
                                                            "crypto",
                                                            "dgram",
                                                            "diagnostics_channel",
                                                            "dns",
                                                            "domain",
                                                            "events",
                                                            "fs",
                                                            "http",
                                                            "http2",
                                                            "https",
                                                            "inspector",
                                                            "module",
                                                            "net",
                                                            "os",
                                                            "path",
                                                            "perf_hooks",
                                                            "process",
                                                            "punycode",
                                                            "querystring",
                                                            "readline",
                                                            "repl",
                                                            "stream",
                                                            "string_decoder",
                                                            "sys",
                                                            "timers",
                                                            "tls",
                                                            "trace_events",
                                                            "tty",
                                                            "url",
                                                            "util",
                                                            "v8",
                                                            "vm",
                                                            "wasi",
                                                            "worker_threads",
                                                            "zlib",
                                                            "_http_agent",
                                                            "_http_client",
                                                            "_http_common",
                                                            "_http_incoming",
                                                            "_http_outgoing",
                                                            "_http_server",
                                                            "_stream_wrap",
                                                            "_tls_wrap"};

std::string parent(const std::string& path) {
    std::size_t slash = path.rfind('/');
    if (slash == std::string::npos) return {};
    return slash == 0 ? "/" : path.substr(0, slash);
}

std::string below(const std::string& folder, std::string_view name) {
    return folder == "/" ? "/" + std::string(name) : folder + "/" + std::string(name);
}

std::string normal(const std::string& path) {
    std::string text = fs::path(path).lexically_normal().string();
    if (text.size() > 1 && text.ends_with('/')) text.pop_back();
    return text;
}

/// `%20` and such in a path of an import.
std::string decoded(const std::string& text) {
    if (text.find('%') == std::string::npos) return text;
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        unsigned code = 0;
        if (text[i] == '%' && i + 2 < text.size() &&
            std::sscanf(text.substr(i + 1, 2).c_str(), "%2x", &code) == 1) {
            out += static_cast<char>(code);
            i += 2;
        } else {
            out += text[i];
        }
    }
    return out;
}

} // namespace

bool is_built_in(std::string_view name) {
    if (name.starts_with("node:")) return true;
    std::string_view top = name.substr(0, name.find('/'));
    if (top != name && top != "assert" && top != "dns" && top != "fs" && top != "path" && top != "readline" &&
        top != "stream" && top != "timers" && top != "util" && top != "inspector")
        return false;
    if (top != name) {
        std::string_view rest = name.substr(top.size() + 1);
        return rest == "promises" || rest == "posix" || rest == "win32" || rest == "strict" ||
               rest == "types" || rest == "consumers" || rest == "web";
    }
    return std::ranges::find(built_in_modules, name) != built_in_modules.end();
}

std::string package_name(std::string_view specifier) {
    if (specifier.empty() || specifier.front() == '.' || specifier.front() == '/' || specifier.front() == '#')
        return {};
    std::size_t end = specifier.find('/');
    if (specifier.front() == '@') {
        if (end == std::string_view::npos) return {};
        end = specifier.find('/', end + 1);
    }
    return std::string(specifier.substr(0, end));
}

Resolver::Resolver(const std::string& version) {
    int major = 0, minor = 0;
    std::sscanf(version.c_str(), "%d.%d", &major, &minor);
    has_module_sync_ = major > 22 || (major == 22 && minor >= 10) || (major == 20 && minor >= 19);
}

template <typename Value, typename Make>
Value Resolver::remembered(std::unordered_map<std::string, Value>& map, const std::string& key, Make make) {
    {
        std::lock_guard lock(mutex_);
        if (auto known = map.find(key); known != map.end()) return known->second;
    }
    Value value = make();
    std::lock_guard lock(mutex_);
    return map.try_emplace(key, std::move(value)).first->second;
}

std::shared_ptr<const Resolver::Listing> Resolver::list(const std::string& folder) {
    return remembered(listings_, folder, [&] {
        auto listing = std::make_shared<Listing>();
        for (const FolderEntry& entry : list_folder(folder))
            listing->entries.emplace(entry.name, Listing::Entry{entry.is_folder, entry.is_link});
        return std::shared_ptr<const Listing>(std::move(listing));
    });
}

bool Resolver::has_file(const std::string& path) {
    auto listing = list(parent(path));
    auto entry = listing->entries.find(base_name(path));
    return entry != listing->entries.end() && !entry->second.is_folder;
}

bool Resolver::has_folder(const std::string& path) {
    if (path == "/") return true;
    std::string above = parent(path);
    // Below a folder that is not there nothing is listed.
    if (above != "/" && !has_folder(above)) return false;
    auto listing = list(above);
    auto entry = listing->entries.find(base_name(path));
    return entry != listing->entries.end() && entry->second.is_folder;
}

std::string Resolver::real(const std::string& path) {
    std::string folder = remembered(real_folders_, parent(path), [&] { return real_path(parent(path)); });
    std::string inner = below(folder, base_name(path));
    auto listing = list(parent(path));
    auto entry = listing->entries.find(base_name(path));
    return entry == listing->entries.end() || entry->second.is_link ? real_path(inner) : inner;
}

std::shared_ptr<const PackageJson> Resolver::package_in(const std::string& folder) {
    return remembered(packages_, folder, [&] {
        bool there = has_folder(folder) && has_file(below(folder, "package.json"));
        return there ? read_package_json(below(folder, "package.json")) : nullptr;
    });
}

std::shared_ptr<const PackageJson> Resolver::scope_of(const std::string& folder) {
    for (std::string at = folder; !at.empty(); at = parent(at)) {
        if (base_name(at) == "node_modules") return nullptr;
        if (auto package = package_in(at)) return package;
        if (at == "/") break;
    }
    return nullptr;
}

Found Resolver::found(const std::string& path) { return {Found::Kind::file, real(path), path, {}, {}, 0}; }

Found Resolver::broken(const PackageJson& package) {
    return {Found::Kind::broken, {}, {}, package.error, package.file, package.error_line};
}

Found Resolver::as_file(const std::string& path, bool exact_only) {
    if (!has_folder(parent(path))) return {};
    if (has_file(path)) return found(path);
    if (exact_only) return {};
    for (const char* ending : {".js", ".json", ".node"})
        if (has_file(path + ending)) return found(path + ending);
    return {};
}

Found Resolver::as_folder(const std::string& path) {
    if (!has_folder(path)) return {};
    if (auto package = package_in(path)) {
        if (!package->error.empty()) return broken(*package);
        if (!package->main.empty()) {
            std::string main = normal(below(path, package->main));
            if (Found file = as_file(main); file.kind == Found::Kind::file) return file;
            if (main != path)
                for (const char* name : {"index.js", "index.json", "index.node"})
                    if (has_folder(main) && has_file(below(main, name))) return found(below(main, name));
        }
    }
    for (const char* name : {"index.js", "index.json", "index.node"})
        if (has_file(below(path, name))) return found(below(path, name));
    return {};
}

Found Resolver::find_file(const std::string& path) {
    std::string plain = normal(path);
    if (!path.ends_with('/'))
        if (Found file = as_file(plain); file.kind == Found::Kind::file) return file;
    return as_folder(plain);
}

/// PACKAGE_TARGET_RESOLVE
Found Resolver::target(const PackageJson& package, const Json& value, const std::string& match,
                       bool is_pattern, bool internal, bool is_import, int depth) {
    if (depth > 20) return {};
    if (value.is_string()) {
        std::string path = value.get<std::string>();
        if (is_pattern)
            for (std::size_t star = path.find('*'); star != std::string::npos;
                 star = path.find('*', star + match.size()))
                path.replace(star, 1, match);
        if (!path.starts_with("./")) {
            if (!internal || path.starts_with("../") || path.starts_with('/'))
                return {Found::Kind::forbidden, {}, {}, fmt::format("`{}` is no path in the package", path),
                        package.file,           0};
            // A name of the map leads to a package, never to the map again.
            if (path.starts_with('#')) return {};
            return resolve(path, below(package.folder, "package.json"), is_import);
        }
        std::string file = normal(below(package.folder, decoded(path)));
        return as_file(file, true);
    }
    if (value.is_array()) {
        Found last;
        for (const Json& one : value) {
            last = target(package, one, match, is_pattern, internal, is_import, depth + 1);
            if (last.kind == Found::Kind::file || last.kind == Found::Kind::built_in) return last;
        }
        return last;
    }
    if (value.is_object()) {
        Found last;
        for (const auto& [condition, inner] : value.items()) {
            bool holds = condition == "default" || condition == "node" || condition == "node-addons" ||
                         (condition == "module-sync" && has_module_sync_) ||
                         condition == (is_import ? "import" : "require");
            if (!holds) continue;
            last = target(package, inner, match, is_pattern, internal, is_import, depth + 1);
            // Where nothing fits inside, the search goes on behind it.
            if (last.kind != Found::Kind::absent || inner.is_string()) return last;
        }
        return last;
    }
    return {};
}

/// PACKAGE_IMPORTS_EXPORTS_RESOLVE
Found Resolver::from_map(const PackageJson& package, const Json& map, const std::string& key, bool internal,
                         bool is_import) {
    if (auto exact = map.find(key); exact != map.end() && key.find('*') == std::string::npos)
        return target(package, *exact, "", false, internal, is_import, 0);
    // The longest text in front of the star wins.
    const Json* best = nullptr;
    std::string best_key, best_match;
    for (const auto& [pattern, value] : map.items()) {
        std::size_t star = pattern.find('*');
        if (star == std::string::npos) {
            // Of old: a folder.
            if (pattern.ends_with('/') && key.starts_with(pattern) && pattern.size() > best_key.size() &&
                value.is_string()) {
                best = &value;
                best_key = pattern;
                best_match = key.substr(pattern.size());
            }
            continue;
        }
        std::string_view front = std::string_view(pattern).substr(0, star);
        std::string_view back = std::string_view(pattern).substr(star + 1);
        bool fits = key.starts_with(front) && key.ends_with(back) && key.size() >= pattern.size() &&
                    key.size() > front.size() + back.size() - 1;
        std::size_t best_star = best_key.find('*');
        if (!fits || (best != nullptr && star <= std::min(best_star, best_key.size()))) continue;
        best = &value;
        best_key = pattern;
        best_match = key.substr(front.size(), key.size() - front.size() - back.size());
    }
    if (best != nullptr && best_key.ends_with('/'))
        return as_file(normal(package.folder + "/" + best->get<std::string>() + best_match), true);
    if (best != nullptr) return target(package, *best, best_match, true, internal, is_import, 0);
    return {};
}

/// PACKAGE_EXPORTS_RESOLVE; `subpath` is "." or begins with "./".
Found Resolver::exported(const PackageJson& package, const std::string& subpath, bool is_import) {
    const Json& exports = package.exports;
    bool is_map = exports.is_object() && !exports.empty() && exports.begin().key().starts_with('.');
    Found result;
    if (!is_map) {
        if (subpath == ".") result = target(package, exports, "", false, false, is_import, 0);
    } else {
        result = from_map(package, exports, subpath, false, is_import);
    }
    if (result.kind == Found::Kind::absent)
        return {Found::Kind::forbidden,
                {},
                {},
                fmt::format("the `exports` of {} do not give `{}`", package.name, subpath),
                package.file,
                0};
    return result;
}

std::string Resolver::package_folder(const std::string& name, const std::string& from) {
    for (std::string at = parent(from); !at.empty(); at = parent(at)) {
        if (base_name(at) != "node_modules") {
            std::string folder = below(at, "node_modules/" + name);
            if (has_folder(folder)) return folder;
        }
        if (at == "/") break;
    }
    return {};
}

/// PACKAGE_RESOLVE, LOAD_NODE_MODULES and LOAD_PACKAGE_SELF
Found Resolver::in_packages(const std::string& specifier, const std::string& from, bool is_import) {
    std::string name = package_name(specifier);
    if (name.empty()) return {};
    std::string rest = specifier.size() > name.size() ? specifier.substr(name.size()) : "";
    auto self = scope_of(parent(from));
    if (self && self->error.empty() && self->name == name && !self->exports.is_null())
        return exported(*self, "." + rest, is_import);
    Found last;
    for (std::string at = parent(from); !at.empty(); at = parent(at)) {
        if (base_name(at) != "node_modules" && has_folder(below(at, "node_modules"))) {
            std::string packages = below(at, "node_modules");
            std::string folder = below(packages, name);
            if (has_folder(folder)) {
                auto package = package_in(folder);
                if (package && !package->error.empty()) return broken(*package);
                if (package && !package->exports.is_null()) return exported(*package, "." + rest, is_import);
                Found inner;
                if (is_import && !rest.empty()) {
                    inner = as_file(normal(folder + decoded(rest)), true);
                } else {
                    inner = find_file(folder + rest);
                }
                if (inner.kind != Found::Kind::absent) return inner;
                if (is_import) return inner;
            } else if (!is_import && rest.empty()) {
                // A single file among the packages.
                if (Found file = as_file(folder); file.kind == Found::Kind::file) return file;
            }
        }
        if (at == "/") break;
    }
    return last;
}

Found Resolver::resolve(const std::string& specifier, const std::string& from, bool is_import) {
    if (specifier.empty()) return {};
    if (is_built_in(specifier)) return {Found::Kind::built_in, {}, {}, {}, {}, 0};
    std::string folder = parent(from);
    if (specifier.front() == '#') {
        auto scope = scope_of(folder);
        if (!scope) return {};
        if (!scope->error.empty()) return broken(*scope);
        if (!scope->imports.is_object()) return {};
        return from_map(*scope, scope->imports, specifier, true, is_import);
    }
    std::string path = specifier;
    bool is_url = path.starts_with("file://");
    if (is_url) path = decoded(path.substr(7));
    bool relative = path == "." || path == ".." || path.starts_with("./") || path.starts_with("../");
    if (relative || path.front() == '/') {
        if (is_import) {
            path = decoded(path.substr(0, path.find_first_of("?#")));
            return as_file(normal(relative ? below(folder, path) : path), true);
        }
        return find_file(relative ? below(folder, path) + (path.ends_with('.') ? "/" : "") : path);
    }
    if (path.find("://") != std::string::npos || path.starts_with("data:"))
        return {Found::Kind::built_in, {}, {}, {}, {}, 0};
    return in_packages(path, from, is_import);
}

} // namespace omnistasis::node
