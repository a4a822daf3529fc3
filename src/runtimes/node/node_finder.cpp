#include "runtimes/node/node_finder.h"

#include "native/native_kind.h"
#include "runtimes/stock.h"
#include "support/own_program.h"
#include "support/subprocess.h"
#include "support/witness.h"

#include <cctype>
#include <cstdlib>
#include <fmt/format.h>

namespace omnistasis::node {

namespace {

/// A system as `process.platform` says it.
std::string platform_word(System system) {
    return system == System::windows ? "win32" : system == System::macos ? "darwin" : "linux";
}

/// A number with dots at the beginning of a text.
std::string version_at(std::string_view text) {
    std::size_t end = 0;
    while (end < text.size() && end < 20 &&
           (std::isdigit(static_cast<unsigned char>(text[end])) != 0 || text[end] == '.'))
        ++end;
    std::string version(text.substr(0, end));
    return std::count(version.begin(), version.end(), '.') == 2 && version.back() != '.' ? version
                                                                                         : std::string();
}

/// The version that a program of Node.js has in its texts; empty where it is none.
std::string version_of(const std::string& program) {
    auto content = MappedFile::open(program);
    if (!content) return {};
    constexpr std::string_view mark = "node.js/v"; // how it calls itself to servers
    for (std::size_t at = content->text().find(mark); at != std::string_view::npos;
         at = content->text().find(mark, at + 1))
        if (std::string version = version_at(content->text().substr(at + mark.size(), 24)); !version.empty())
            return version;
    return {};
}

/// The program in what the project names: itself, or in a folder.
std::string named_program(const std::string& named) {
    if (is_folder(named)) {
        for (const char* place : {"bin/node", "bin/node.exe", "node", "node.exe"})
            if (is_file(fs::path(named) / place)) return (fs::path(named) / place).string();
        return {};
    }
    return named.find('/') == std::string::npos ? find_on_path(named) : named;
}

tl::unexpected<Error> lacks(const std::string& target) {
    return fail(
        ErrorKind::missing, fmt::format("there is no Node.js for {}", target), "", "none was added for it",
        fmt::format("omnistasis runtimes fetch node --target {} brings one; one that you have is added with "
                    "`omnistasis runtimes add`",
                    target));
}

Facts facts_of(const std::string& program, const std::string& version, const std::string& target) {
    Facts facts;
    facts.program = program;
    facts.version = version;
    facts.target = target;
    if (const TargetInfo* info = find_target(target)) {
        facts.system = platform_word(info->system);
        facts.processor = info->short_processor;
    }
    facts.runs_here = target == host_target();
    return facts;
}

/// What this machine's own runtime says of itself. It may be a script that starts the real one.
Result<Facts> ask(const std::string& program, Store& store) {
    std::string key = Store::key_of("node facts " + file_stamp(program) + program);
    Witness::saw(program);
    std::string answer = store.find(key).value_or("");
    if (answer.empty()) {
        auto output = run_program(
            {"env", "-u", "NODE_OPTIONS", program, "-p",
             "process.execPath + '\\n' + process.versions.node + '\\n' + process.platform + '-' + "
             "process.arch"});
        if (!output) return pass_on(output);
        if (output->exit_code != 0)
            return fail(ErrorKind::missing, "the runtime can't be asked", program,
                        output->err.substr(0, output->err.find('\n')),
                        "check that it runs: " + program + " --version");
        answer = output->out;
        store.keep(key, std::string(answer));
    }
    std::size_t first = answer.find('\n'), second = answer.find('\n', first + 1);
    if (second == std::string::npos)
        return fail(ErrorKind::bad_input, "this is not Node.js", program, "it does not say its version", "");
    std::string version = answer.substr(first + 1, second - first - 1);
    return facts_of(real_path(answer.substr(0, first)), version, host_target());
}

} // namespace

std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder) {
    std::vector<Recognised> found;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        std::string name = entry.path().filename().string();
        std::error_code ignored;
        if ((name != "node" && name != "node.exe") || entry.is_symlink(ignored) ||
            !entry.is_regular_file(ignored))
            return;
        native::NativeKind kind = native::kind_of(entry.path().string());
        std::string version = kind ? version_of(entry.path().string()) : std::string();
        if (!kind || version.empty()) return;
        found.push_back({entry.path().lexically_relative(folder).string(), version,
                         kind.targets.empty() ? std::string() : kind.targets.front()});
    });
    return found;
}

Result<Facts> find_node(const Project& project, Store& store) {
    const std::string& target = project.targets.front();
    bool for_host = target == host_target();
    if (!project.runtime_home.empty()) {
        std::string program = named_program(project.runtime_home);
        if (program.empty() || !is_file(program))
            return fail(ErrorKind::bad_input, "there is no Node.js at the named place", project.runtime_home,
                        "runtime.home or --runtime", "name its program, or the folder that holds bin/node");
        native::NativeKind kind = native::kind_of(program);
        if (kind.fits(target) && !for_host) return facts_of(real_path(program), version_of(program), target);
        // With several targets the one that is named is for one of them.
        if (!kind || kind.fits(target)) return ask(program, store);
    } else if (for_host) {
        if (std::string program = find_on_path("node"); !program.empty()) return ask(program, store);
        if (std::string program = find_on_path("nodejs"); !program.empty()) return ask(program, store);
    }
    auto stocked = RuntimeStock::of_user().newest("node", target);
    if (!stocked) return lacks(target);
    Witness::saw(stocked->folder);
    auto programs = recognise_runtimes(stocked->folder);
    if (programs.empty()) return lacks(target);
    return facts_of(real_path((stocked->folder / programs.front().program).string()), stocked->version,
                    target);
}

Result<std::string> usual_runtime(const std::string& target) {
    auto store = Store::open_users();
    Project project;
    project.targets = {target};
    auto facts = find_node(project, *store);
    if (!facts) return pass_on(facts);
    return fmt::format("Node.js {}", facts->version);
}

Result<std::unique_ptr<trace::Runtime>> make_node_runtime(const Project& project,
                                                          const std::filesystem::path& data,
                                                          std::shared_ptr<Store> store, trace::EntryCheck) {
    auto facts = find_node(project, *store);
    if (!facts) return pass_on(facts);
    auto lore = read_lore(data / "lore" / "node");
    if (!lore) return pass_on(lore);
    for (const std::string& file : project.lore)
        if (auto read = read_lore_file(project.folder / file, *lore); !read) return pass_on(read);
    return std::unique_ptr<trace::Runtime>(std::make_unique<NodeRuntime>(
        project, std::move(*facts), std::move(*lore), data / "node", std::move(store)));
}

} // namespace omnistasis::node
