#include "runtimes/python/stocked_library.h"

#include "runtimes/python/foreign_runtime.h"
#include "runtimes/python/installed_distributions.h"
#include "runtimes/python/module_store.h"
#include "support/subprocess.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <thread>

namespace omnistasis::python {

namespace {

/// The interpreter's program in a folder of the stock; empty where there is none.
std::string python_program_in(const fs::path& folder, const std::string& minor) {
    for (const Recognised& one : recognise_runtimes(folder))
        if (minor_version(one.version) == minor) return (folder / one.program).string();
    return {};
}

/// What of a library hardly any application uses: its tests, and programs of its own.
bool is_passed_over(const std::string& inner) {
    constexpr std::array<std::string_view, 8> folders{"test/",          "idlelib/",      "lib2to3/",
                                                      "turtledemo/",    "distutils/",    "ensurepip/",
                                                      "site-packages/", "dist-packages/"};
    return inner.find("/tests/") != std::string::npos || inner.find("/test/") != std::string::npos ||
           std::ranges::any_of(folders, [&](std::string_view folder) { return inner.starts_with(folder); });
}

/// The sources of a library that applications use, relative to its folder.
std::vector<std::string> library_sources(const std::string& library) {
    std::vector<std::string> sources;
    each_entry_below(library, [&](const fs::directory_entry& entry) {
        std::string inner = relative_to(entry.path().string(), library);
        if (inner.ends_with(".py") && !is_passed_over(inner)) sources.push_back(std::move(inner));
    });
    return sources;
}

} // namespace

Facts facts_of_version(const std::string& minor, const Facts& own, const fs::path& helpers) {
    if (fmt::format("{}.{}", own.major, own.minor) == minor) return own;
    if (std::string program = find_on_path("python" + minor); !program.empty())
        if (auto facts = ask_interpreter(program, helpers, "", false); facts) return *facts;
    if (auto stocked = RuntimeStock::of_user().newest("python", host_target(), minor);
        stocked && minor_version(stocked->version) == minor)
        if (auto program = python_program_in(stocked->folder, minor); !program.empty())
            if (auto facts = ask_interpreter(program, helpers, "", false); facts) return *facts;
    Facts facts;
    facts.codecs = own.codecs;
    return facts;
}

std::string how_to_get_compiler(const Facts& facts) {
    return fmt::format("omnistasis runtimes fetch python --target {2} --version {0}.{1}, or install "
                       "python{0}.{1}",
                       facts.major, facts.minor, host_target());
}

std::filesystem::path bytecode_folder_of(const StockedRuntime& runtime) {
    return runtime.folder.parent_path() / "bytecode";
}

Result<void> compile_library(const StockedRuntime& runtime, const Facts& own,
                             const std::filesystem::path& helpers) {
    fs::path folder = bytecode_folder_of(runtime);
    if (is_folder(folder) || runtime.target == host_target()) return {};
    Facts compiler = facts_of_version(minor_version(runtime.version), own, helpers);
    if (!compiler.compiles()) return {};
    auto facts = facts_of_files(runtime, compiler);
    if (!facts) return pass_on(facts);
    auto staging = StagingFolder::make(folder.parent_path(), "bytecode");
    if (!staging) return pass_on(staging);
    std::vector<ModuleStore::Source> sources;
    for (const std::string& inner : library_sources(facts->standard_library)) {
        std::string file = facts->standard_library + "/" + inner;
        sources.push_back({file, file, 0, false});
    }
    if (sources.empty()) return {}; // it is bytecode
    SilentObserver observer;
    ModuleStore store(*facts, helpers, std::make_shared<Store>(staging->path() / "kept.sqlite"));
    auto compiled = store.compile(sources, std::max(1u, std::thread::hardware_concurrency()), observer);
    if (!compiled) return pass_on(compiled);
    fs::path made = staging->path() / "bytecode";
    for (std::size_t i = 0; i < sources.size(); ++i) {
        if ((*compiled)[i].code.empty()) continue; // some are not meant to be compiled
        fs::path file = made / (relative_to(sources[i].file, facts->standard_library) + "c");
        std::error_code failed;
        fs::create_directories(file.parent_path(), failed);
        auto written = write_atomically(file, store.dated_header(sources[i].file) + (*compiled)[i].code);
        if (!written) return written;
    }
    std::error_code failed;
    fs::rename(made, folder, failed);
    if (failed && !is_folder(folder))
        return fail(ErrorKind::unwritable, "can't put the bytecode in its place", folder.string(),
                    failed.message());
    return {};
}

Result<std::string> write_library_program(const StockedRuntime& runtime, const fs::path& folder) {
    auto facts = facts_of_files(runtime, {});
    if (!facts) return pass_on(facts);
    std::string text;
    for (const std::string& inner : library_sources(facts->standard_library)) {
        std::string module = module_name_of(inner);
        bool is_program = module.ends_with("__main__") || module.find('-') != std::string::npos;
        if (!module.empty() && !is_program) text += "import " + module + "\n";
    }
    if (text.empty()) return std::string(); // it is bytecode
    fs::path file = folder / "library.py";
    if (auto written = write_atomically(file, text); !written) return pass_on(written);
    return file.string();
}

} // namespace omnistasis::python
