#include "runtimes/pip.h"

#include "support/subprocess.h"

namespace omnistasis {

Result<std::vector<std::string>> find_pip(const std::string& interpreter) {
    for (const std::string& python : {interpreter, find_on_path("python3")}) {
        if (python.empty()) continue;
        auto asked = run_program({python, "-m", "pip", "--version"});
        if (asked && asked->exit_code == 0) return std::vector<std::string>{python, "-m", "pip"};
    }
    if (std::string pip = find_on_path("pip"); !pip.empty()) return std::vector<std::string>{pip};
    return fail(ErrorKind::missing, "pip is not found", "", "packages are brought with it",
                "install pip for the project's interpreter, or as the package python3-pip");
}

} // namespace omnistasis
