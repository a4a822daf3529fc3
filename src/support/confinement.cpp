#include "support/confinement.h"

#include "support/subprocess.h"

namespace omnistasis {

Result<void> check_confinement() {
    static const Result<void> answer = []() -> Result<void> {
        auto tried = run_program(
            {confining_program, "--unshare-all", "--die-with-parent", "--ro-bind", "/", "/", "true"});
        if (!tried)
            return fail(ErrorKind::missing, "can't run a program in isolation", confining_program,
                        tried.error().why, "install the package bubblewrap");
        if (tried->exit_code != 0)
            return fail(
                ErrorKind::missing, "this machine does not allow to run a program in isolation",
                confining_program, tried->err.substr(0, tried->err.find('\n')),
                "allow user namespaces: sysctl kernel.unprivileged_userns_clone=1 "
                "user.max_user_namespaces=10000 "
                "(and, where AppArmor restricts them, kernel.apparmor_restrict_unprivileged_userns=0). "
                "Without them "
                "`omnistasis inspect` tells what the output needs from the system and how old that may be");
        return {};
    }();
    return answer;
}

std::vector<std::string> confined(const std::vector<std::string>& command,
                                  const std::filesystem::path& scratch,
                                  const std::map<std::string, std::string>& variables) {
    std::string home = scratch.string();
    std::vector<std::string> all{confining_program,
                                 "--unshare-all",
                                 "--die-with-parent",
                                 "--new-session",
                                 "--clearenv",
                                 "--ro-bind",
                                 "/",
                                 "/",
                                 "--dev",
                                 "/dev",
                                 "--proc",
                                 "/proc",
                                 "--bind",
                                 home,
                                 home,
                                 "--chdir",
                                 home,
                                 "--setenv",
                                 "HOME",
                                 home,
                                 "--setenv",
                                 "TMPDIR",
                                 home};
    for (const auto& [name, value] : variables) all.insert(all.end(), {"--setenv", name, value});
    all.insert(all.end(), command.begin(), command.end());
    return all;
}

} // namespace omnistasis
