#include "watch/isolation.h"

#include "support/confinement.h"
#include "support/files.h"
#include "support/target_info.h"

#include <fmt/format.h>
#include <set>

namespace omnistasis::watch {

namespace {

/// The host libraries that this machine has: name and file.
std::vector<std::pair<std::string, std::string>> host_files(const native::HostLibraries& host,
                                                            const std::vector<fs::path>& folders) {
    std::vector<std::pair<std::string, std::string>> files;
    std::set<std::string> seen;
    for (const fs::path& folder : folders)
        for (const FolderEntry& entry : list_folder(folder))
            if (!entry.is_folder && host.find(entry.name) != nullptr && seen.insert(entry.name).second)
                files.emplace_back(entry.name, (folder / entry.name).string());
    return files;
}

} // namespace

std::vector<std::string> isolated_command(const std::filesystem::path& output, const std::string& program,
                                          const std::vector<std::string>& arguments,
                                          const native::HostLibraries& host,
                                          const IsolationOptions& options) {
    std::vector<std::string> command{confining_program, "--unshare-all", "--die-with-parent",
                                     "--clearenv",      "--proc",        "/proc",
                                     "--dev",           "/dev"};
    auto add = [&](std::initializer_list<std::string> words) { command.insert(command.end(), words); };
    auto writable = [&](const fs::path& folder, const char* place) {
        if (folder.empty())
            add({"--tmpfs", place});
        else
            add({"--bind", folder.string(), place});
    };
    if (options.network) {
        add({"--share-net"});
        for (const char* file : {"/etc/resolv.conf", "/etc/hosts", "/etc/nsswitch.conf"})
            add({"--ro-bind-try", file, file});
    }
    // The locale of every Linux system that LANG names below.
    add({"--ro-bind-try", "/usr/lib/locale/C.utf8", "/usr/lib/locale/C.utf8"});
    writable(options.temporary, "/tmp");
    writable(options.home, isolated_home);
    if (!options.work.empty()) writable(options.work, isolated_work);
    std::map<std::string, std::string> variables{
        {"HOME", isolated_home}, {"PATH", "/nowhere"}, {"LANG", "C.UTF-8"}, {"USER", "user"}};
    for (const auto& [name, value] : options.variables) variables[name] = value;
    for (const auto& [name, value] : variables) add({"--setenv", name, value});
    add({"--chdir", options.work.empty() ? isolated_home : isolated_work});
    const TargetInfo* target = find_target(host.target());
    const TargetInfo& of_root = target == nullptr ? host_info() : *target;
    std::vector<fs::path> folders = options.library_folders;
    if (folders.empty())
        for (const std::string& folder : library_folders(of_root)) folders.emplace_back(folder);
    for (const auto& [name, file] : host_files(host, folders)) {
        // Programs name their loader by its path: in /lib, or in that for this processor.
        std::string place = library_folders(of_root).front() + "/" + name;
        if (name == of_root.loader) place = of_root.loader_folder + "/" + name;
        add({"--ro-bind", file, place});
    }
    for (const auto& [from, to] : options.shown) add({"--ro-bind", from.string(), to});
    for (const auto& [from, to] : options.lent) add({"--bind", from.string(), to});
    std::string place = "/opt/" + output.filename().string();
    add({"--ro-bind", fs::absolute(output).string(), place});
    command.insert(command.end(), options.in_front.begin(), options.in_front.end());
    std::string started = is_folder(output) ? place + "/" + program : place;
    command.push_back(options.instead.empty() ? started : options.instead);
    command.insert(command.end(), arguments.begin(), arguments.end());
    return command;
}

Result<ProgramOutput> run_isolated(const std::filesystem::path& output, const std::string& program,
                                   const std::vector<std::string>& arguments,
                                   const native::HostLibraries& host, const IsolationOptions& options) {
    if (auto possible = check_isolation(); !possible) return pass_on(possible);
    return run_program(isolated_command(output, program, arguments, host, options), options.input,
                       options.limits);
}

Result<void> check_isolation() { return check_confinement(); }

} // namespace omnistasis::watch
