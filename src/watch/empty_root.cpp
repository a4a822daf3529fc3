#include "watch/empty_root.h"

#include "native/loader_cache.h"

#include <fmt/format.h>
#include <set>

namespace omnistasis::watch {

namespace {

constexpr const char* sandbox = "bwrap";

/// The host libraries that this machine has: name and file.
std::vector<std::pair<std::string, std::string>> host_files(const native::HostLibraries& host) {
    std::vector<std::pair<std::string, std::string>> files;
    std::set<std::string> seen;
    for (const char* folder : {"/lib/x86_64-linux-gnu", "/usr/lib/x86_64-linux-gnu", "/lib64", "/usr/lib64"})
        for (const FolderEntry& entry : list_folder(folder))
            if (!entry.is_folder && host.find(entry.name) != nullptr && seen.insert(entry.name).second)
                files.emplace_back(entry.name, std::string(folder) + "/" + entry.name);
    return files;
}

} // namespace

Result<ProgramOutput> run_in_empty_root(const std::filesystem::path& output, const std::string& program,
                                        const std::vector<std::string>& arguments,
                                        const native::HostLibraries& host, const EmptyRootOptions& options) {
    std::vector<std::string> command{
        sandbox,    "--unshare-all", "--die-with-parent", "--clearenv", "--proc",    "/proc",
        "--dev",    "/dev",          "--tmpfs",           "/tmp",       "--dir",     "/home/user",
        "--setenv", "HOME",          "/home/user",        "--setenv",   "PATH",      "/nowhere",
        "--setenv", "LANG",          "C.UTF-8",           "--chdir",    "/home/user"};
    auto add = [&](std::initializer_list<std::string> words) { command.insert(command.end(), words); };
    for (const auto& [name, file] : host_files(host)) {
        std::string place = name.starts_with("ld-linux") ? "/lib64/" + name : "/lib/x86_64-linux-gnu/" + name;
        add({"--ro-bind", file, place});
    }
    for (const auto& [from, to] : options.shown) add({"--ro-bind", from.string(), to});
    for (const std::string& variable : options.variables) {
        std::size_t equal = variable.find('=');
        add({"--setenv", variable.substr(0, equal), variable.substr(equal + 1)});
    }
    bool folder = fs::is_directory(output);
    std::string place = "/opt/" + output.filename().string();
    add({"--ro-bind", fs::absolute(output).string(), place});
    command.push_back(folder ? place + "/" + program : place);
    command.insert(command.end(), arguments.begin(), arguments.end());
    auto result = run_program(command);
    if (!result)
        return fail(ErrorKind::missing, "can't run a program in isolation", sandbox, result.error().why,
                    "install the package bubblewrap");
    if (result->err.starts_with("bwrap:"))
        return fail(ErrorKind::missing, "this machine does not allow to run a program in isolation", sandbox,
                    result->err, "allow user namespaces: sysctl kernel.unprivileged_userns_clone=1");
    return result;
}

} // namespace omnistasis::watch
