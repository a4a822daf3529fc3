#include "runtimes/python/python_language.h"

#include "native/native_kind.h"
#include "runtimes/python/lexer.h"
#include "runtimes/python/python_runtime.h"
#include "runtimes/python/version_condition.h"
#include "runtimes/python/zipped_packages.h"
#include "support/subprocess.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// Takes away the lore for other versions than the installed ones.
void drop_unmet_lore(Lore& lore, const Facts& facts) {
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

} // namespace

bool is_python_source(const std::filesystem::path& file) {
    if (file.extension() == ".py" || file.extension() == ".pyw") return true;
    auto text = MappedFile::open(file);
    return text && interpreter_words(text->text()).find("python") != std::string_view::npos;
}

std::vector<Recognised> recognise_runtimes(const std::filesystem::path&) { return {}; }

namespace {

Result<void> check_target(const std::string& target) {
    if (target == host_target()) return {};
    return fail(ErrorKind::missing,
                fmt::format("Python is built for this machine's system alone, {}", host_target()), "",
                fmt::format("packages and interpreter of {} can't be asked here", target));
}

} // namespace

Result<std::string> usual_runtime(const std::string& target) {
    if (auto right = check_target(target); !right) return pass_on(right);
    auto interpreter = find_interpreter("", fs::current_path(), fs::current_path());
    if (!interpreter) return pass_on(interpreter);
    return "Python, " + *interpreter;
}

Result<std::unique_ptr<trace::Runtime>> make_python_runtime(const Project& project,
                                                            const std::filesystem::path& data,
                                                            std::shared_ptr<Store> store,
                                                            trace::EntryCheck check) {
    if (auto right = check_target(project.targets.front()); !right) return pass_on(right);
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
    if (auto unpacked = unpack_zipped_packages(facts->search_path); !unpacked) return pass_on(unpacked);
    Project whole = project;
    if (!project.is_installed) whole.root_folder = root_of_sources(project, *facts);
    auto lore = read_lore(data / "lore" / "python");
    if (!lore) return pass_on(lore);
    for (const std::string& file : project.lore)
        if (auto read = read_lore_file(project.folder / file, *lore); !read) return pass_on(read);
    drop_unmet_lore(*lore, *facts);
    return std::unique_ptr<trace::Runtime>(
        std::make_unique<PythonRuntime>(std::move(whole), std::move(*facts), std::move(*lore),
                                        data / "python", data / "lore" / "python", std::move(store)));
}

} // namespace omnistasis::python
