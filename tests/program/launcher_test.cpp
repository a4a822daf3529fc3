// The launcher: unpacking once, safely, and refusing what was changed.
#include "workshop.h"

#include <catch2/catch.hpp>
#include <sys/stat.h>
#include <thread>
#include <unistd.h>

using namespace omnistasis;
using omnistasis::test::Workshop;

namespace {

/// A built hello world.
struct Hello : Workshop {
    explicit Hello(const std::string& name) : Workshop(name) {
        write("h.py", "print('here')\n");
        REQUIRE(omnistasis({"build", "h.py", "--compress", "fast"}).exit_code == 0);
    }
    std::string program = "./out/linux-x86_64/h";
};

} // namespace

TEST_CASE("a first start unpacks into a private folder, the second uses it") {
    Hello hello("first");
    CHECK(hello.shell(hello.program).out == "here\n");
    CHECK(hello.shell("stat -c %a cache/omnistasis cache/omnistasis/h-*").out == "700\n700\n");
    CHECK(hello.shell("ls -A cache/omnistasis | grep -c new").out == "0\n");
    CHECK(hello
              .shell("find cache -newer h.py -name modules.store -exec touch -d 2020-01-01 {} + ; " +
                     hello.program + "; find cache -name modules.store -newermt 2021-01-01")
              .out == "here\n");
}

TEST_CASE("a hundred first starts at once unpack once and all succeed") {
    Hello hello("hundred");
    CHECK(hello.shell("for i in $(seq 100); do " + hello.program + " & done; wait").out == [] {
        std::string all;
        for (int i = 0; i < 100; ++i) all += "here\n";
        return all;
    }());
    CHECK(hello.shell("ls -d cache/omnistasis/h-* | wc -l").out == "1\n");
}

TEST_CASE("what an interrupted first start left is replaced") {
    Hello hello("left");
    CHECK(hello.shell(hello.program).exit_code == 0);
    // As if the machine had stopped in the middle: no marker, and parts missing.
    hello.shell("rm cache/omnistasis/h-*/.complete cache/omnistasis/h-*/lib/python3*/modules.store; cp -r "
                "cache/omnistasis/h-* cache/omnistasis/.$(basename cache/omnistasis/h-*).new");
    CHECK(hello.shell(hello.program).out == "here\n");
    CHECK(hello.shell("ls -A cache/omnistasis | wc -l").out == "2\n");
}

TEST_CASE("a cut-off or changed file is refused before anything of it runs") {
    Hello hello("damaged");
    fs::path file = hello.path("out/linux-x86_64/h");
    std::string whole = read_text(file).value();
    auto run_changed = [&](std::string content) {
        REQUIRE(write_atomically(hello.path("changed"), content, 0755));
        auto run = hello.shell("rm -rf cache; ./changed");
        INFO(run.err);
        CHECK(run.exit_code == 122);
        CHECK(run.out.empty());
        CHECK(run.err.find("changed: ") != std::string::npos);
        CHECK_FALSE(fs::exists(hello.path("cache/omnistasis") / "h"));
    };
    run_changed(whole.substr(0, whole.size() - 1));
    run_changed(whole.substr(0, whole.size() / 2));
    run_changed(whole + "x");
    auto number = [&](std::size_t from_end) {
        std::uint64_t value = 0;
        for (std::size_t i = 8; i-- > 0;)
            value = value << 8 | static_cast<unsigned char>(whole[whole.size() - from_end + i]);
        return static_cast<std::size_t>(value);
    };
    // In front of the index is the list of parts, which no start reads; in front of the payload the launcher.
    std::size_t in_parts = number(112) + number(80) - 10, in_launcher = number(112) - 2000;
    for (std::size_t at :
         {whole.size() - 200, whole.size() - 20, whole.size() / 2, whole.size() / 3, in_parts, in_launcher}) {
        std::string flipped = whole;
        flipped[at] = static_cast<char>(flipped[at] ^ 4);
        run_changed(flipped);
    }
}

TEST_CASE("folders that others could write, and links, are not used") {
    Hello hello("others");
    hello.shell("mkdir -p cache/omnistasis && chmod 777 cache/omnistasis");
    auto run = hello.shell(hello.program);
    CHECK(run.exit_code == 121);
    CHECK(run.err.find("it is not the user's own") != std::string::npos);
    CHECK(run.err.find("OMNISTASIS_CACHE") != std::string::npos);
    hello.shell("rmdir cache/omnistasis && mkdir elsewhere && ln -s ../elsewhere cache/omnistasis");
    CHECK(hello.shell(hello.program).exit_code == 121);
    CHECK(hello.shell("ls elsewhere").out.empty());
}

TEST_CASE("without a home it falls back to a private folder of its own") {
    Hello hello("homeless");
    auto run = hello.shell("env -i " + hello.program);
    CHECK(run.out == "here\n");
    CHECK(hello.shell("env -i HOME=/proc/nowhere XDG_CACHE_HOME=relative " + hello.program).out == "here\n");
}

TEST_CASE("a program that stops being root still finds its modules") {
    if (::geteuid() != 0) {
        WARN("skipped: only root can become another user");
        return;
    }
    Workshop workshop("root no more");
    workshop.write("main.py", "import os, sys\nos.setgid(65534)\nos.setuid(65534)\n"
                              "if len(sys.argv) > 1: os.closerange(3, 1024)\n"
                              "try:\n    import colorsys, wave\n    print(colorsys.ONE_THIRD > 0)\n"
                              "except PermissionError: print('closed')\n");
    auto built = workshop.omnistasis({"build", "main.py", "-q"});
    REQUIRE(built.exit_code == 0);
    auto run = workshop.shell("chmod 700 . && out/linux-x86_64/main; out/linux-x86_64/main close");
    INFO(run.err);
    CHECK(run.out == "True\nclosed\n");
}

TEST_CASE("a second reader, made from the specification alone, reads what is written") {
    Workshop workshop("second reader");
    workshop.write("main.py", "print('ahoy')\n");
    workshop.write("chart.txt", "mud");
    for (const char* level : {"fast", "small"}) {
        auto built =
            workshop.omnistasis({"build", "main.py", "--asset", "chart.txt", "--compress", level, "-q"});
        REQUIRE(built.exit_code == 0);
        auto read = workshop.shell(std::string("'") + PAYLOAD_READER + "' out/linux-x86_64/main read");
        INFO(read.out << read.err);
        CHECK(read.exit_code == 0);
        CHECK(read.out.find("name: 'main'") != std::string::npos);
        CHECK(read.out.find("app/chart.txt") != std::string::npos);
        REQUIRE(
            workshop.omnistasis({"inspect", "out/linux-x86_64/main", "--extract", "extracted"}).exit_code ==
            0);
        CHECK(workshop.shell("diff -r read extracted && rm -r read extracted").exit_code == 0);
    }
    workshop.shell("printf x >> out/linux-x86_64/main");
    CHECK(workshop.shell(std::string("'") + PAYLOAD_READER + "' out/linux-x86_64/main").exit_code == 1);
}

TEST_CASE("a signed application starts with its publisher's signature only") {
    Workshop workshop("signed");
    workshop.write("h.py", "print('here')\n");
    workshop.shell(
        "openssl genpkey -algorithm ed25519 -out publisher.key; openssl genpkey -algorithm ed25519 "
        "-out other.key; openssl genrsa -out rsa.key 2048");
    auto build = [&](const std::string& key, const std::string& out, const std::string& form = "file") {
        return workshop.omnistasis({"build", "h.py", "--compress", "fast", "--sign", key, "--out", out,
                                    "--form", form, "--without", "own-files"});
    };
    auto folder = build("publisher.key", "folder", "folder");
    CHECK(folder.exit_code == 3);
    CHECK(folder.err.find("a folder can't be signed") != std::string::npos);
    REQUIRE(build("publisher.key", "ours").exit_code == 0);
    REQUIRE(build("other.key", "theirs").exit_code == 0);
    CHECK(workshop.shell("./ours/h && ./theirs/h").out == "here\nhere\n");
    CHECK(workshop.omnistasis({"inspect", "ours/h", "--verify"}).out.find("signed") != std::string::npos);

    // Somebody else's payload behind our launcher, and our own with a changed signature.
    auto payload_of = [](const std::string& file) {
        std::uint64_t at = 0;
        for (std::size_t i = 8; i-- > 0;)
            at = at << 8 | static_cast<unsigned char>(file[file.size() - 112 + i]);
        return at;
    };
    std::string ours = read_text(workshop.path("ours/h")).value();
    std::string theirs = read_text(workshop.path("theirs/h")).value();
    std::string mixed = ours.substr(0, payload_of(ours)) + theirs.substr(payload_of(theirs));
    workshop.write("mixed", mixed);
    for (const char* cache : {"rm -rf cache", "true"}) {
        auto run = workshop.shell(std::string(cache) + "; chmod +x mixed; ./mixed");
        CHECK(run.exit_code == 122);
        CHECK(run.out.empty());
        CHECK(run.err.find("signature") != std::string::npos);
    }
    CHECK(workshop.omnistasis({"inspect", "mixed"}).exit_code == 3);

    CHECK(build("rsa.key", "x").err.find("Ed25519") != std::string::npos);
    CHECK(build("h.py", "x").exit_code == 3);
    CHECK(build("nothing.key", "x").exit_code == 3);
    // The same key signs the same bytes in the same way.
    REQUIRE(build("publisher.key", "again").exit_code == 0);
    CHECK(read_text(workshop.path("again/h")).value() == ours);
}

TEST_CASE("a full check finds what was changed in the tree") {
    Hello hello("full");
    CHECK(hello.shell(hello.program).exit_code == 0);
    CHECK(hello.shell("OMNISTASIS_CHECK=full " + hello.program).out == "here\n");
    hello.shell("chmod u+w cache/omnistasis/h-*/lib/python3*/modules.store; printf x | dd conv=notrunc bs=1 "
                "seek=20000 of=$(echo cache/omnistasis/h-*/lib/python3*/modules.store)");
    auto run = hello.shell("OMNISTASIS_CHECK=full " + hello.program);
    CHECK(run.exit_code == 122);
    CHECK(run.out.empty());
    CHECK(run.err.find("modules.store of the application is not what was built. Remove ") !=
          std::string::npos);

    REQUIRE(hello.omnistasis({"build", "h.py", "--form", "folder", "--out", "f"}).exit_code == 0);
    CHECK(hello.shell("OMNISTASIS_CHECK=full ./f/h/h").out == "here\n");
    CHECK(hello.omnistasis({"inspect", "f/h", "--verify"}).exit_code == 0);
    hello.shell("printf x >> $(echo f/h/tree/lib/python3*/modules.store)");
    CHECK(hello.shell("OMNISTASIS_CHECK=full ./f/h/h").exit_code == 122);
    CHECK(hello.omnistasis({"inspect", "f/h", "--verify"}).exit_code == 3);
}

TEST_CASE("trees of old versions are removed, but not those in use or started lately") {
    Hello hello("old trees");
    auto trees = [&] { return hello.shell("ls -A cache/omnistasis | grep -c '^h-'").out; };
    hello.shell(hello.program);
    for (const char* text : {"import time; print('two', flush=True); time.sleep(60)\n", "print('three')\n"}) {
        hello.write("h.py", text);
        REQUIRE(hello
                    .omnistasis(
                        {"build", "h.py", "--compress", "fast", "--out", text[0] == 'i' ? "two" : "three"})
                    .exit_code == 0);
    }
    // The second version runs while the third is started for the first time; all trees but the third's are
    // old.
    auto run = hello.shell(
        "mkfifo said; ./two/h > said & read line < said; touch -d '10 days ago' "
        "cache/omnistasis/h-*/.complete; ./three/h; tries=0; until [ $(ls cache/omnistasis | wc -l) "
        "= 2 ] || [ $tries = 200 ]; do tries=$((tries + 1)); sleep 0.02; done; ls "
        "cache/omnistasis | wc -l; "
        // Whoever removes the old trees may not have come to the second one yet: it has to be in use until
        // then.
        "while ls -l /proc/[0-9]*/exe 2> /dev/null | grep -q '/three/h$' && [ $tries != 400 ]; do "
        "tries=$((tries + 1)); sleep 0.02; done; kill $!");
    CHECK(run.out == "three\n2\n");
    // Nothing is old now.
    hello.shell("touch cache/omnistasis/h-*/.complete; ./three/h");
    CHECK(trees() == "2\n");
    CHECK(hello.shell(hello.program).out == "here\n");
    CHECK(trees() == "3\n");
}

TEST_CASE("in window mode what is wrong is shown in a window") {
    Workshop workshop("message");
    workshop.write("h.py", "print('here')\n");
    REQUIRE(workshop.omnistasis({"build", "h.py", "--mode", "window", "--compress", "fast"}).exit_code == 0);
    // A cut-off download; somebody looks for its window, and ends it by asking the server to cut the
    // connection. (A server that may reset does so when its last client leaves, here the one that looks: it
    // would cut off who connects just then.)
    auto run = workshop.shell(
        "head -c 2000000 out/linux-x86_64/h > cut; chmod +x cut; mkfifo number; Xvfb -noreset -displayfd 3 "
        "-screen 0 "
        "800x600x24 3> number 2> /dev/null & server=$!; read display < number; export DISPLAY=:$display; "
        "(./cut 2> said; echo $? > code) & tries=0; until xwininfo -root -tree | grep -q '\"cut\"' || [ "
        "$tries = 1500 "
        "]; do tries=$((tries + 1)); sleep 0.02; done; xwininfo -root -tree | grep -c '\"cut\"'; kill "
        "$server; wait; "
        "cat code");
    INFO(run.err);
    CHECK(run.out == "1\n122\n");
    CHECK(read_text(workshop.path("said")).value().find("it was cut off or changed") != std::string::npos);
}
