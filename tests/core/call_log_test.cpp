// What a log of system calls says of the files that a program opened, wanted, wrote and started.
#include "watch/call_log.h"

#include <catch2/catch.hpp>

using namespace omnistasis::watch;
using Paths = std::set<std::string>;

TEST_CASE("files are told by the path that was asked for and by the one that it led to") {
    Calls calls = read_call_log(
        "7 openat(AT_FDCWD</port>, \"tides.txt\", O_RDONLY|O_CLOEXEC) = 3</port/tides.txt>\n"
        "7 openat(AT_FDCWD</port>, \"/usr/lib/libbell.so\", O_RDONLY) = 4</usr/lib/libbell.so.1.2>\n"
        "7 openat(5</port/charts>, \"../log\", O_WRONLY|O_CREAT, 0666) = 6</port/log>\n"
        "7 open(\"/port/board\", O_RDWR) = 6</port/board>\n"
        "7 openat(AT_FDCWD</port>, \"charts\", O_RDONLY|O_DIRECTORY) = 5</port/charts>\n"
        "7 openat(5</port>, \"quay\", O_RDONLY|O_NOFOLLOW|O_PATH|O_CLOEXEC) = 6</port/quay>\n"
        "7 openat(AT_FDCWD</port>, \"shut\", O_RDONLY) = -1 EACCES (Permission denied)\n"
        "7 readlink(\"/port/link\", \"tides.txt\", 4095) = 9\n",
        "");
    CHECK(calls.started);
    CHECK(calls.opened == Paths{"/usr/lib/libbell.so", "/usr/lib/libbell.so.1.2", "/port/tides.txt"});
    CHECK(calls.written == Paths{"/port/board", "/port/log"});
    CHECK(calls.missing.empty());
}

TEST_CASE("a file that could not be made was not looked for") {
    Calls calls = read_call_log(
        "7 openat(6</tree>, \"lib/libtide.so.1\", O_WRONLY|O_CREAT, 0600) = -1 ENOENT (No such file or "
        "directory)\n"
        "7 openat(6</tree>, \"lib/libquay.so.1\", O_RDONLY) = -1 ENOENT (No such file or directory)\n",
        "");
    CHECK(calls.missing == Paths{"/tree/lib/libquay.so.1"});
}

TEST_CASE("names are as the system has them, whatever signs are in them") {
    Calls calls = read_call_log(
        "7 openat(AT_FDCWD</port>, \"a \\\"bell\\\"\\tand\\134more\", O_RDONLY) = 3</port/a "
        "\"bell\"\\tand\\134more>\n"
        "7 openat(AT_FDCWD</w\\303\\244rme\\76>, \"gez\\303\\244hlt\", O_RDONLY) = "
        "3</w\\303\\244rme\\76/gez\\303\\244hlt>\n"
        "7 openat(AT_FDCWD</port>, \"depth = 4, mud\", O_RDONLY) = 3</port/depth = 4, mud>\n"
        "7 openat(AT_FDCWD</port>, \"not (there) <yet>\", O_RDONLY) = -1 ENOENT (No such file or directory)\n"
        "7 access(\"/port/../else//where/./x\", R_OK) = -1 ENOTDIR (Not a directory)\n",
        "");
    CHECK(calls.opened ==
          Paths{"/port/a \"bell\"\tand\\more", "/w\xC3\xA4rme>/gez\xC3\xA4hlt", "/port/depth = 4, mud"});
    CHECK(calls.missing == Paths{"/else/where/x", "/port/not (there) <yet>"});
}

TEST_CASE("calls of several threads that came in between are put together") {
    Calls calls = read_call_log("7 openat(AT_FDCWD</port>, \"one\", O_RDONLY <unfinished ...>\n"
                                "8 openat(AT_FDCWD</port>, \"two\", O_RDONLY <unfinished ...>\n"
                                "7 <... openat resumed>) = 3</port/one>\n"
                                "8 <... openat resumed>) = -1 ENOENT (No such file or directory)\n"
                                "9 <... openat resumed>) = 3</port/three>\n"
                                "9 <... nothing that is known\n",
                                "");
    CHECK(calls.opened == Paths{"/port/one", "/port/three"});
    CHECK(calls.missing == Paths{"/port/two"});
}

TEST_CASE("nothing counts before the program itself is there") {
    constexpr std::string_view log =
        "7 openat(AT_FDCWD</>, \"/etc/hosts\", O_RDONLY) = 3</etc/hosts>\n"
        "7 execve(\"/usr/bin/env\", [\"env\"], 0x7ff /* 3 vars */) = 0\n"
        "7 execve(\"/opt/app/board\", [\"board\"], 0x7ff /* 3 vars */) = 0\n"
        "7 openat(AT_FDCWD</>, \"/opt/app/tides\", O_RDONLY) = 3</opt/app/tides>\n"
        "8 execve(\"/usr/bin/dot\", [\"dot\"], 0x7ff /* 3 vars */) = -1 ENOENT (No such file)\n"
        "8 execve(\"/bin/shut\", [\"shut\"], 0x7ff /* 3 vars */) = -1 EACCES (Permission denied)\n";
    Calls calls = read_call_log(log, "/opt/app");
    CHECK(calls.started);
    CHECK(calls.programs == Paths{"/opt/app/board"});
    CHECK(calls.missing_programs == Paths{"/usr/bin/dot"});
    CHECK(calls.opened == Paths{"/opt/app/tides"});
    CHECK_FALSE(read_call_log(log, "/opt/else").started);
    CHECK(read_call_log(log, "/opt/else").opened.empty());
}

TEST_CASE("processes that had to be killed after the first one ended were left behind") {
    constexpr std::string_view begin = "7 execve(\"/opt/app/board\", [\"board\"], 0x7ff) = 0\n"
                                       "8 execve(\"/opt/app/helper\", [\"helper\"], 0x7ff) = 0\n"
                                       "9 execve(\"/opt/app/watcher\", [\"watcher\"], 0x7ff) = 0\n";
    auto left = [&](const std::string& end) {
        return read_call_log(std::string(begin) + end, "/opt/app").left_behind;
    };
    CHECK(left("8 +++ exited with 0 +++\n9 +++ exited with 0 +++\n7 +++ exited with 0 +++\n").empty());
    CHECK(left("7 +++ exited with 0 +++\n8 +++ exited with 1 +++\n9 +++ killed by SIGKILL +++\n") ==
          std::vector<std::string>{"/opt/app/watcher"});
    CHECK(left("9 +++ killed by SIGTERM +++\n7 +++ exited with 0 +++\n") ==
          std::vector<std::string>{"/opt/app/helper"});
    // Where the first one never ended, nobody can say.
    CHECK(left("8 +++ killed by SIGKILL +++\n").empty());
}

TEST_CASE("a log that is cut off or none gives what is in it") {
    CHECK(read_call_log("", "").opened.empty());
    std::string line = "7 openat(AT_FDCWD</port>, \"tides.txt\", O_RDONLY) = 3</port/tides.txt>\n";
    for (std::size_t size = 0; size < line.size(); ++size) {
        Calls calls = read_call_log(line + line.substr(0, size), "");
        CHECK(calls.opened.contains("/port/tides.txt"));
    }
    Calls none = read_call_log("strace: exec: Permission denied\n\n= = (\n12345\n7\n7 (\"\n", "");
    CHECK(none.opened.empty());
}
