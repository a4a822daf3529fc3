#include "runtimes/python/known_calls.h"

#include <array>
#include <unordered_map>

namespace omnistasis::python {

namespace {

constexpr std::array exact_rows{
    KnownCall{"__import__", CallUse::imports_module, 0},
    KnownCall{"import_module", CallUse::imports_module, 0},
    KnownCall{"find_spec", CallUse::imports_module, 0},
    KnownCall{"run_module", CallUse::imports_module, 0},
    KnownCall{"resolve_name", CallUse::imports_module, 0},
    KnownCall{"_load_lexers", CallUse::imports_module, 0},

    KnownCall{"encode", CallUse::codec_or_method, 0},
    KnownCall{"decode", CallUse::codec_or_method, 0},
    KnownCall{"lookup", CallUse::codec, 0},
    KnownCall{"getencoder", CallUse::codec, 0},
    KnownCall{"getdecoder", CallUse::codec, 0},
    KnownCall{"getreader", CallUse::codec, 0},
    KnownCall{"getwriter", CallUse::codec, 0},
    KnownCall{"getincrementaldecoder", CallUse::codec, 0},
    KnownCall{"getincrementalencoder", CallUse::codec, 0},

    KnownCall{"getsource", CallUse::asks_for_source, 0},
    KnownCall{"getsourcelines", CallUse::asks_for_source, 0},
    KnownCall{"getsourcefile", CallUse::asks_for_source, 0},

    KnownCall{"listdir", CallUse::lists_folder, 0},
    KnownCall{"scandir", CallUse::lists_folder, 0},
    KnownCall{"iterdir", CallUse::lists_folder, 0},
    KnownCall{"rglob", CallUse::lists_folder, 0},
    KnownCall{"glob", CallUse::finds_paths, 0},
    KnownCall{"iglob", CallUse::finds_paths, 0},

    KnownCall{"open", CallUse::opens_path, 0},
    KnownCall{"Path", CallUse::opens_path, 0},
    KnownCall{"PhotoImage", CallUse::opens_path, 0},
    KnownCall{"loadtxt", CallUse::opens_path, 0},
    KnownCall{"genfromtxt", CallUse::opens_path, 0},
    KnownCall{"read_csv", CallUse::opens_path, 0},
    KnownCall{"read_excel", CallUse::opens_path, 0},
    KnownCall{"fromfile", CallUse::opens_path, 0},
    KnownCall{"imread", CallUse::opens_path, 0},
    KnownCall{"exists", CallUse::opens_path, 0},

    KnownCall{"iter_modules", CallUse::walks_package, 0},
    KnownCall{"walk_packages", CallUse::walks_package, 0},

    KnownCall{"CDLL", CallUse::opens_library, 0},
    KnownCall{"PyDLL", CallUse::opens_library, 0},
    KnownCall{"LoadLibrary", CallUse::opens_library, 0},
    KnownCall{"dlopen", CallUse::opens_library, 0},
    KnownCall{"require_version", CallUse::library_versions, 0},
    KnownCall{"require_versions", CallUse::library_versions, 0},

    KnownCall{"attach_stub", CallUse::reads_stubs, 0},
    KnownCall{"attach", CallUse::attaches_parts, 1},
    KnownCall{"chdir", CallUse::changes_folder, 0},

    KnownCall{"load_entry_point", CallUse::entry_point, 0},
    KnownCall{"version", CallUse::metadata, 0},
    KnownCall{"metadata", CallUse::metadata, 0},
    KnownCall{"distribution", CallUse::metadata, 0},
    KnownCall{"requires", CallUse::metadata, 0},
    KnownCall{"get_distribution", CallUse::metadata, 0},
    KnownCall{"files", CallUse::files, 0},
    KnownCall{"entry_points", CallUse::entry_points, 0},
    KnownCall{"iter_entry_points", CallUse::entry_points, 0},
    KnownCall{"select", CallUse::selected_points, 0},

    KnownCall{"get_data", CallUse::package_data, 0},
    KnownCall{"resource_filename", CallUse::package_data, 0},
    KnownCall{"resource_string", CallUse::package_data, 0},
    KnownCall{"resource_stream", CallUse::package_data, 0},
    KnownCall{"read_text", CallUse::package_data, 0},
    KnownCall{"open_text", CallUse::package_data, 0},
    KnownCall{"read_binary", CallUse::package_data, 0},
    KnownCall{"open_binary", CallUse::package_data, 0},
    KnownCall{"PackageLoader", CallUse::package_folder, 0},
    KnownCall{"contents", CallUse::package_folder, 0},
    KnownCall{"is_resource", CallUse::package_folder, 0},
    KnownCall{"path", CallUse::package_folder, 0},
    KnownCall{"as_file", CallUse::package_folder, 0},
    KnownCall{"resource_listdir", CallUse::package_folder, 0},
    KnownCall{"resource_exists", CallUse::package_folder, 0},
    KnownCall{"resource_isdir", CallUse::package_folder, 0},
};

/// Families of names, `*` at one end; they count where no exact row does.
constexpr std::array families{
    KnownCall{"import_*", CallUse::imports_module, 0},
    KnownCall{"*find_library", CallUse::opens_library, 0},
    KnownCall{"*load_library", CallUse::opens_library, 0},
};

bool fits(std::string_view name, std::string_view family) {
    return family.front() == '*' ? name.ends_with(family.substr(1))
                                 : name.starts_with(family.substr(0, family.size() - 1));
}

} // namespace

const KnownCall& known_call(std::string_view name) {
    static const std::unordered_map<std::string_view, const KnownCall*> rows = [] {
        std::unordered_map<std::string_view, const KnownCall*> by_name;
        for (const KnownCall& row : exact_rows) by_name.emplace(row.name, &row);
        return by_name;
    }();
    static constexpr KnownCall none{};
    if (auto row = rows.find(name); row != rows.end()) return *row->second;
    for (const KnownCall& family : families)
        if (fits(name, family.name)) return family;
    return none;
}

} // namespace omnistasis::python
