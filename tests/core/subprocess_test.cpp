// Programs that are run: their streams, how they end, and their bounds.
#include "folder.h"
#include "support/subprocess.h"

using namespace omnistasis;
using omnistasis::test::Folder;

TEST_CASE("a program's streams and its end come back") {
    auto done = run_program({"sh", "-c", "cat; echo wrong >&2; exit 7"}, "high\nlow");
    REQUIRE(done);
    CHECK(done->exit_code == 7);
    CHECK(done->out == "high\nlow");
    CHECK(done->err == "wrong\n");
    CHECK_FALSE(done->timed_out);
    done = run_program({"/bin/sh", "-c", "kill -TERM $$"});
    REQUIRE(done);
    CHECK(done->exit_code == 128 + 15);
}

TEST_CASE("a program that can't be started is an error, and says which") {
    for (const std::string name : {"no-such-program-here", "/nowhere/at-all"}) {
        auto done = run_program({name});
        REQUIRE_FALSE(done);
        CHECK((done.error().what + done.error().where + done.error().why).find(name) != std::string::npos);
    }
    Folder folder;
    CHECK_FALSE(is_program(folder.write("text", "not a program")));
    CHECK_FALSE(is_program(folder.path()));
    CHECK(is_program("/bin/sh"));
    CHECK(find_on_path("sh").ends_with("/sh"));
    CHECK(find_on_path("no-such-program-here").empty());
}

TEST_CASE("more input and output than a pipe holds goes both ways at once") {
    std::string much(3 << 20, 'x');
    auto done = run_program({"cat"}, much);
    REQUIRE(done);
    CHECK(done->out == much);
    // One that does not read its input does not stop us.
    done = run_program({"true"}, much);
    REQUIRE(done);
    CHECK(done->exit_code == 0);
    done = run_program({"sh", "-c", "head -c 2000000 /dev/zero >&2; head -c 2000000 /dev/zero"});
    REQUIRE(done);
    CHECK(done->out.size() == 2000000);
    CHECK(done->err.size() == 2000000);
}

TEST_CASE("bounds end a program that does not end, and keep no more than they say") {
    RunLimits limits;
    limits.seconds = 0.2;
    auto done = run_program({"tail", "-f", "/dev/null"}, "", limits);
    REQUIRE(done);
    CHECK(done->timed_out);
    // What it wrote until then is kept.
    Folder begun;
    limits = {};
    limits.enough = [&] { return fs::exists(begun / "begun"); };
    done = run_program({"sh", "-c", "echo begun; : > \"$0\"; exec tail -f /dev/null", begun / "begun"}, "",
                       limits);
    REQUIRE(done);
    CHECK(done->out == "begun\n");
    limits = {};
    limits.most_output = 1000;
    done = run_program({"sh", "-c", "head -c 5000000 /dev/zero; echo end >&2"}, "", limits);
    REQUIRE(done);
    CHECK(done->out.size() == 1000);
    CHECK(done->err == "end\n");
    CHECK(done->exit_code == 0);
    limits = {};
    limits.enough = [] { return true; };
    done = run_program({"sh", "-c", "exec tail -f /dev/null"}, "", limits);
    REQUIRE(done);
    CHECK(done->exit_code != 0);
    Folder folder;
    limits = {};
    limits.most_file = 4096;
    done = run_program({"sh", "-c", "head -c 1000000 /dev/zero > \"$0\"", folder / "large"}, "", limits);
    REQUIRE(done);
    CHECK(done->exit_code != 0);
    CHECK(fs::file_size(folder / "large") <= 4096);
}
