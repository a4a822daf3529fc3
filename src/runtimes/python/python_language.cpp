#include "runtimes/python/python_language.h"

#include "native/native_kind.h"
#include "runtimes/python/foreign_runtime.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/package_stock.h"
#include "runtimes/python/path_files.h"
#include "runtimes/python/python_runtime.h"
#include "runtimes/python/stocked_library.h"
#include "runtimes/python/version_condition.h"
#include "runtimes/python/wheel.h"
#include "runtimes/python/zipped_packages.h"
#include "runtimes/stock.h"
#include "support/subprocess.h"
#include "support/target_info.h"
#include "support/witness.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// Takes away the lore for other versions than the installed ones.
void drop_unmet_lore(Lore& lore, const Facts& facts) {
    std::string system = facts.target.substr(0, facts.target.find('-'));
    std::erase_if(lore, [&](const auto& entry) {
        const std::vector<std::string>& systems = entry.second.systems;
        return !systems.empty() && std::ranges::find(systems, system) == systems.end();
    });
    bool has_conditions =
        std::ranges::any_of(lore, [](const auto& entry) { return !entry.second.versions.empty(); });
    if (!has_conditions) return;
    std::map<std::string, std::string> versions{
        {"python", fmt::format("{}.{}.{}", facts.major, facts.minor, facts.micro)}};
    for (const Distribution& distribution : find_distributions(facts.search_path))
        versions.emplace(distribution.name, distribution.version);
    std::erase_if(lore, [&](const auto& entry) {
        return std::ranges::any_of(entry.second.versions, [&](const auto& condition) {
            auto installed = versions.find(normalized_distribution_name(condition.first));
            return installed == versions.end() ||
                   !meets_version_condition(installed->second, condition.second);
        });
    });
}

/// The newest Python of the stock for a target, of version `minor` ("3.11") if there is one.
Result<StockedRuntime> stocked_python(const std::string& target, const std::string& minor) {
    RuntimeStock stock = RuntimeStock::of_user();
    if (auto found = stock.newest("python", target, minor)) return *found;
    if (auto found = stock.newest("python", target)) return *found;
    std::string hint =
        fmt::format("omnistasis runtimes fetch python --target {} brings one; one that you have is "
                    "added with `omnistasis runtimes add`",
                    target);
    return fail(ErrorKind::missing, fmt::format("there is no Python for {}", target), "",
                "none was added for it", hint);
}

/// Whether locked packages are for the runtime that the stock has.
Result<void> check_versions(const std::vector<LockedPackage>& locked, const fs::path& lock_file,
                            const StockedRuntime& stocked) {
    std::string minor = minor_version(stocked.version);
    for (const LockedPackage& one : locked) {
        auto wheel = read_wheel_name(one.file);
        int number = std::atoi(minor.substr(minor.find('.') + 1).c_str());
        if (wheel && fits(*wheel, number, one.target)) continue;
        return fail(
            ErrorKind::bad_input,
            fmt::format("{} is no package for Python {} on {}", one.file, minor, one.target),
            lock_file.string(),
            fmt::format("the lock was written for Python {}, and the runtime of the stock is {}", one.python,
                        stocked.version),
            fmt::format("add a runtime of version {}, or take the target's packages out of the lock and run "
                        "omnistasis packages fetch --target {}",
                        one.python, one.target));
    }
    return {};
}

/// The facts of the target's runtime. `own`: those of the project's interpreter on this machine.
Result<Facts> foreign_facts(const Project& project, const Facts& own, const fs::path& data) {
    const std::string& target = project.targets.front();
    auto stocked = stocked_python(target, fmt::format("{}.{}", own.major, own.minor));
    if (!stocked) return pass_on(stocked);
    Witness::saw(stocked->folder);
    auto facts =
        facts_of_files(*stocked, facts_of_version(minor_version(stocked->version), own, data / "python"));
    if (!facts) return facts;
    if (!facts->compiles() && !is_file(facts->standard_library + "/os.py"))
        return fail(ErrorKind::missing,
                    fmt::format("there is no Python {}.{} on this machine", facts->major, facts->minor),
                    stocked->folder.string(),
                    "the library of that runtime is bytecode, which only such a one reads",
                    how_to_get_compiler(*facts));
    fs::path lock_file = lock_file_of(project);
    auto locked = read_lock(lock_file, target);
    if (!locked) return pass_on(locked);
    if (!locked->empty()) {
        if (auto fit = check_versions(*locked, lock_file, *stocked); !fit) return pass_on(fit);
        std::string site_packages = facts->library_place + "/site-packages";
        auto environment = PackageStock::of_user().environment(*locked, site_packages);
        if (!environment) return pass_on(environment);
        Witness::saw(environment->string());
        facts->prefix = environment->string();
        // Behind the library, in front of what a system has for all.
        std::vector<std::string> folders{(*environment / site_packages).string()};
        for (std::string& folder : folders_of_path_files(folders.front()))
            folders.push_back(std::move(folder));
        facts->search_path.insert(facts->search_path.begin() + 2, folders.begin(), folders.end());
    }
    // Of two programs one has no console.
    std::string windowed = parent_folder_of(facts->program) + "/pythonw.exe";
    if (project.mode == Mode::window && is_file(windowed)) facts->program = windowed;
    // Own modules that the environment leads to, as in a folder `src`.
    for (const std::string& folder : own.search_path)
        if (!relative_to(folder, project.own_folder.string()).empty() &&
            relative_to(folder, own.prefix).empty())
            facts->search_path.push_back(folder);
    facts->editable = own.editable;
    return facts;
}

} // namespace

bool is_python_source(const std::filesystem::path& file) {
    if (file.extension() == ".py" || file.extension() == ".pyw") return true;
    auto text = MappedFile::open(file);
    return text && interpreter_words(text->text()).find("python") != std::string_view::npos;
}

Result<void> prepare_runtime(const StockedRuntime& runtime, const std::filesystem::path& data) {
    auto interpreter = find_interpreter("", fs::current_path(), fs::current_path());
    if (!interpreter) return {};
    auto own = ask_interpreter(*interpreter, data / "python", "", false);
    return own ? compile_library(runtime, *own, data / "python") : Result<void>();
}

Result<std::string> usual_runtime(const std::string& target) {
    if (target != host_target()) {
        auto stocked = stocked_python(target, "");
        if (!stocked) return pass_on(stocked);
        return fmt::format("Python {}", stocked->version);
    }
    auto interpreter = find_interpreter("", fs::current_path(), fs::current_path());
    if (!interpreter) return pass_on(interpreter);
    return "Python, " + *interpreter;
}

Result<std::unique_ptr<trace::Runtime>> make_python_runtime(const Project& project,
                                                            const std::filesystem::path& data,
                                                            std::shared_ptr<Store> store,
                                                            trace::EntryCheck check) {
    std::string home = project.runtime_home;
    if (home.empty() && project.is_installed) home = interpreter_of_script(project.folder / project.entry);
    // What the system installed runs with the system's own.
    if (home.empty() && project.is_installed && project.folder.string().starts_with("/usr/") &&
        is_file("/usr/bin/python3"))
        home = "/usr/bin/python3";
    auto interpreter = find_interpreter(home, project.folder, project.own_folder);
    if (!interpreter) return pass_on(interpreter);
    std::string entry = read_entry(project).file;
    auto facts = ask_interpreter(*interpreter, data / "python", entry, check == trace::EntryCheck::now);
    if (!facts) return pass_on(facts);
    if (!facts->entry_error.empty())
        return fail(ErrorKind::bad_input, "the entry point is not valid Python",
                    facts->entry_error_line ? fmt::format("{}:{}", entry, facts->entry_error_line) : entry,
                    facts->entry_error,
                    fmt::format("the interpreter in use is Python {}.{}, {}", facts->major, facts->minor,
                                facts->executable));
    std::optional<Facts> here; // of this machine's, where another is built for
    if (project.targets.front() != host_target()) {
        auto foreign = foreign_facts(project, *facts, data);
        if (!foreign) return pass_on(foreign);
        here = std::exchange(*facts, std::move(*foreign));
    }
    if (auto unpacked = unpack_zipped_packages(facts->search_path); !unpacked) return pass_on(unpacked);
    Project whole = project;
    if (!project.is_installed) whole.root_folder = root_of_sources(project, *facts);
    auto lore = read_lore(data / "lore" / "python");
    if (!lore) return pass_on(lore);
    for (const std::string& file : project.lore)
        if (auto read = read_lore_file(project.folder / file, *lore); !read) return pass_on(read);
    drop_unmet_lore(*lore, *facts);
    return std::unique_ptr<trace::Runtime>(std::make_unique<PythonRuntime>(
        std::move(whole), std::move(*facts), std::move(here), std::move(*lore), data / "python",
        data / "lore" / "python", std::move(store)));
}

} // namespace omnistasis::python
