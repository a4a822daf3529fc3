// How the launcher of each system starts the tree's program: arguments, variables, several programs in one
// tree.
#include "../core/silent_observer.h"
#include "dress/pe_resources.h"
#include "payload/payload_writer.h"
#include "support/own_program.h"
#include "support/target_info.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

/// Says what it was given, a line each.
constexpr const char* source = R"(#include <stdio.h>
#include <stdlib.h>
int main(int count, char **arguments) {
    const char *names[] = {"TIDE", "BERTH", "QUAY", "OMNISTASIS_KEPT_TIDE", "OMNISTASIS_KEPT_BERTH", "OMNISTASIS_KEPT_QUAY"};
    for (int i = 1; i < count; ++i) printf("argument %s\n", arguments[i]);
    for (int i = 0; i < 6; ++i)
        if (getenv(names[i])) printf("%s=%s\n", names[i], getenv(names[i]));
    return 7;
}
)";

/// A launcher's target, how its program is compiled, and what starts it here.
struct Way {
    std::string target;
    std::string compiler;
    std::string starter;
};

class Yard : public Workshop {
  public:
    explicit Yard(Way way) : Workshop("start " + way.target), way_(std::move(way)) {
        write("show.c", source);
        REQUIRE(shell(way_.compiler + " -o show.bin show.c").exit_code == 0);
    }

    /// Writes `app` and a second program in its tree; `false` where this build has no launcher for it.
    bool make() {
        auto launcher = read_text(own_launchers() / ("launcher-" + way_.target));
        if (!launcher) return false;
        if (system_of(way_.target) == System::windows) launcher = dress::with_resources(*launcher, {});
        REQUIRE(launcher);
        std::string ending = find_target(way_.target)->program_ending;
        program_ = "bin/show" + ending;
        payload::Description front =
            description({"{tree}/a.jar:{tree}/b.jar", "-own={self}", "{arguments}", "last"});
        front.kept_variables = {"TIDE"};
        front.set_variables = {{"BERTH", "{tree}/berth"}, {"QUAY", "7"}};
        payload::Description inner = description({"inner", "{arguments}"});
        inner.tree_folder = "..";
        std::string second = "bin/second" + ending;
        std::vector<payload::TreeFile> tree{{program_, 0755, read_text(path("show.bin")).value()},
                                            {second, 0755, payload::inner_launcher(*launcher, inner)},
                                            {"a.jar", 0644, "a"}};
        test::SilentObserver silent;
        Store none{fs::path()};
        REQUIRE(
            payload::write_output(path("app" + ending), *launcher, tree, front, {3, nullptr}, none, silent));
        return true;
    }

    /// What a program says, started with a variable of the user's for each of the program's.
    std::string run(const std::string& program, int exit_code) {
        ProgramOutput done = shell(
            "export TIDE=user BERTH='of the user' WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all "
            "LC_ALL=C.UTF-8 DISPLAY= HOME=\"$PWD\"; unset QUAY; " +
            way_.starter + " " + program + " 'a b' 'ü' > said.txt 2>&1; echo $?; tr -d '\\r' < said.txt | " +
            // A program of the C library's writes in the system's old encoding there.
            (way_.starter == "wine" ? "iconv -c -f CP1252 -t UTF-8" : "cat"));
        INFO(done.out);
        CHECK(done.out.starts_with(std::to_string(exit_code) + "\n"));
        return done.out.substr(std::min(done.out.find('\n') + 1, done.out.size()));
    }

    /// The tree in the cache folder, or where Wine has it.
    std::string tree() {
        std::string found =
            shell("find \"$PWD/cache\" prefix/drive_c -type d -path '*omnistasis/app-*' -prune 2>/dev/null")
                .out;
        return found.substr(0, found.find('\n'));
    }

  private:
    static fs::path own_launchers() {
        return fs::path(OMNISTASIS_PROGRAM).parent_path().parent_path() / "lib/omnistasis";
    }

    payload::Description description(const std::vector<std::string>& arguments) const {
        payload::Description said;
        said.name = "app";
        said.version = "1";
        said.start = program_ + '\0';
        for (const std::string& argument : arguments) said.start += argument + '\0';
        return said;
    }

    Way way_;
    std::string program_;
};

void check(const Way& way, const std::string& app, const std::string& second) {
    INFO(way.target);
    Yard yard(way);
    if (!yard.make()) {
        WARN("skipped: there is no launcher for " << way.target);
        return;
    }
    if (way.starter == "wine")
        yard.shell("export WINEPREFIX=\"$PWD/prefix\" WINEDEBUG=-all DISPLAY= HOME=\"$PWD\"; wineboot -i "
                   ">/dev/null 2>&1");
    std::string said = yard.run(app, 7);
    INFO(said);
    auto has = [&](const std::string& line) { return said.find(line + "\n") != std::string::npos; };
    CHECK(has("argument a b"));
    CHECK(has("argument ü"));
    CHECK(has("argument last"));
    CHECK(said.find("a.jar:") != std::string::npos);
    CHECK(said.find("b.jar\n") != std::string::npos);
    CHECK(said.find("{tree}") == std::string::npos);
    CHECK(said.find("argument -own=") != std::string::npos);
    CHECK(said.find("\nTIDE=user") == std::string::npos); // kept, and given to nobody
    CHECK(has("OMNISTASIS_KEPT_TIDE=user"));
    CHECK(has("OMNISTASIS_KEPT_BERTH=of the user"));
    CHECK(said.find("berth\nQUAY=7\n") != std::string::npos);
    CHECK(said.find("KEPT_QUAY") == std::string::npos); // the user has none

    std::string inner = yard.run("\"" + yard.tree() + "/" + second + "\"", 7);
    CHECK(inner.starts_with("argument inner\nargument a b\nargument ü\n"));
    CHECK(inner.find("TIDE=user\nBERTH=of the user\n") != std::string::npos);
    if (way.starter == "wine") yard.shell("export WINEPREFIX=\"$PWD/prefix\"; wineserver -k; wineserver -w");
}

} // namespace

TEST_CASE("this system's launcher fills in arguments and variables, for each program of a tree") {
    check({host_target(), "cc", ""}, "./app", "bin/second");
}

TEST_CASE("so does the one for aarch64, under an emulator") {
    if (find_on_path("qemu-aarch64-static").empty()) {
        WARN("skipped: qemu-aarch64-static is not installed");
        return;
    }
    // The program is this machine's: the kernel starts it, and not the emulator.
    check({"linux-aarch64", "cc", "qemu-aarch64-static"}, "./app", "bin/second");
}

TEST_CASE("so does the one for Windows, under Wine") {
    if (find_on_path("wine").empty()) {
        WARN("skipped: Wine is not installed");
        return;
    }
    check({"windows-x86_64", "x86_64-w64-mingw32-gcc", "wine"}, "app.exe", "bin/second.exe");
}
