#include "workshop.h"

#include "native/host_libraries.h"
#include "watch/isolation.h"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <unistd.h>

namespace omnistasis::test {

Workshop::Workshop(const std::string& name, std::string runtime)
    : runtime_(std::move(runtime)),
      folder_(fs::temp_directory_path() / fmt::format("omnistasis t\xC3\xA4st {} {}", name, ::getpid())) {
    fs::remove_all(folder_);
    fs::create_directories(folder_);
}

Workshop::~Workshop() { fs::remove_all(folder_); }

fs::path Workshop::write(const std::string& name, const std::string& content) {
    fs::path file = folder_ / name;
    fs::create_directories(file.parent_path());
    REQUIRE(write_atomically(file, content));
    return file;
}

ProgramOutput Workshop::shell(const std::string& command) {
    auto result = run_program(
        {"sh", "-c",
         fmt::format("cd '{0}' && export OMNISTASIS_CACHE='{0}/cache' && {1}", folder_.string(), command)});
    REQUIRE(result);
    return *result;
}

ProgramOutput Workshop::omnistasis(std::vector<std::string> arguments) {
    std::string command = quoted_program;
    // What is behind `--` stays behind it.
    std::string tail;
    for (const std::string& argument : arguments)
        (tail.empty() && argument != "--" ? command : tail) += " '" + argument + "'";
    bool takes_runtime = arguments[0] == "build" || arguments[0] == "trace" || arguments[0] == "why" ||
                         arguments[0] == "rehearse" || arguments[0] == "report" || arguments[0] == "profile";
    bool has_runtime =
        command.find("--runtime") != std::string::npos || command.find("--help") != std::string::npos;
    if (takes_runtime && !has_runtime) command += " --runtime " + runtime_;
    return shell(command + tail);
}

std::string Workshop::make_environment() {
    shell("/usr/bin/python3 -m venv --without-pip .venv");
    std::string version = shell("ls .venv/lib").out;
    version.pop_back();
    return ".venv/lib/" + version + "/site-packages/";
}

std::string Workshop::check_alike(const std::string& entry, const std::vector<std::string>& arguments,
                                  const std::vector<std::string>& options) {
    std::string tail;
    for (const std::string& argument : arguments) tail += " '" + argument + "'";
    std::string file = fs::path(entry).is_absolute() ? entry : "./" + entry;
    ProgramOutput source = shell(fmt::format("PYTHONDONTWRITEBYTECODE=1 {} '{}'{}", runtime_, file, tail));
    auto host = native::HostLibraries::read(
        fs::path(OMNISTASIS_PROGRAM).parent_path().parent_path() / "share/omnistasis", "linux-x86_64");
    REQUIRE(host);
    for (std::string form : {"file", "folder"}) {
        std::vector<std::string> command{"build", entry,    "--name", "frozen", "--compress",
                                         "fast",  "--form", form,     "--out",  "out " + form};
        command.insert(command.end(), options.begin(), options.end());
        ProgramOutput built = omnistasis(command);
        INFO(built.out << built.err);
        REQUIRE(built.exit_code == 0);
        auto run = watch::run_isolated(path("out " + form + "/frozen"), "frozen", arguments, *host);
        REQUIRE(run);
        INFO(form << "\n" << run->out << run->err);
        CHECK(run->out == source.out);
        CHECK(run->exit_code == source.exit_code);
    }
    return source.out;
}

} // namespace omnistasis::test
