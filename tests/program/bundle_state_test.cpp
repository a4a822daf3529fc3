// The launcher of a bundle for macOS, as a program of this system: its tree is sealed, so what it writes is
// in a copy. What only macOS has is stood in for (darwin/stand_in.cpp); the application is this system's.
#include "logbook.h"
#include "payload/launcher_slots.h"
#include "workshop.h"

#include <catch2/catch.hpp>

using namespace omnistasis;
using omnistasis::test::logbook;
using omnistasis::test::Workshop;

namespace {

struct Bundles : Workshop {
    explicit Bundles(const std::string& name) : Workshop(name) { test::write_logbook(*this, ""); }

    /// Builds a folder, and makes the bundle `name` of it.
    void make(const std::string& name) {
        REQUIRE(omnistasis({"build", "--compress", "fast", "--out", "out", "--form", "folder"}).exit_code ==
                0);
        std::string contents = name + "/Contents/";
        auto made =
            shell("mkdir -p '" + contents + "MacOS' '" + contents + "Resources' && mv out/logbook/tree '" +
                  contents + "MacOS' && mv out/logbook/logbook '" + contents +
                  "Resources/logbook.payload' && cp '" BUNDLE_LAUNCHER "' '" + contents +
                  "MacOS/logbook' && rm -r out && cp -r '" + name + "' '" + name + ".built'");
        REQUIRE(made.exit_code == 0);
    }
    ProgramOutput start(const std::string& bundle, const std::string& argument,
                        const std::string& before = "") {
        return run(before + " '" + bundle + "/Contents/MacOS/logbook' " + argument);
    }
    /// Runs with a home of its own, in which data and cache are.
    ProgramOutput run(const std::string& command) {
        return shell("unset OMNISTASIS_CACHE; export XDG_DATA_HOME=\"$PWD/no\" XDG_CACHE_HOME=\"$PWD/no\" "
                     "HOME=\"$PWD/home\"; " +
                     command);
    }
    /// The bundle is as it was built.
    bool is_sealed(const std::string& bundle) {
        return shell("diff -r --no-dereference '" + bundle + "' '" + bundle + ".built'").exit_code == 0;
    }
};

} // namespace

TEST_CASE("a sealed bundle's state is in the user's folders, and outlives updates and moves") {
    Bundles work("sealed");
    work.make("One.app");
    CHECK(work.start("One.app", "a").out == "1 1 2\n");
    CHECK(work.start("One.app", "b").out == "2 2 3\n");
    CHECK(work.is_sealed("One.app"));
    // An update, a move, and a copy that somebody removed.
    work.write("logbook.py", std::string("# a newer version\n") + logbook);
    work.make("Two.app");
    CHECK(work.start("Two.app", "c").out == "3 3 4\n");
    CHECK(work.run("mv One.app 'an other.app'; 'an other.app/Contents/MacOS/logbook' d").out == "4 4 5\n");
    CHECK(work.start("Two.app", "e", "rm -rf home/Library/*/omnistasis;").out.starts_with("5 "));
    // On a disk that can't make copies without room.
    CHECK(work.start("Two.app", "f", "rm -rf home/Library/*/omnistasis; NO_CLONES=1").out.starts_with("6 "));
    CHECK(work.is_sealed("Two.app"));
    CHECK(work.run("ls -A home home/Library").out ==
          "home:\nLibrary\n\nhome/Library:\nApplication Support\n");
    CHECK(work.run("ls -A no").exit_code != 0);
    CHECK(work.run("find 'home/Library/Application Support/logbook' -name '*.earlier*' | wc -l").out ==
          "0\n");
}

TEST_CASE("a sealed bundle that was changed is not copied") {
    Bundles work("unsealed");
    work.make("One.app");
    auto changed = work.start("One.app", "a", "echo >> $(find One.app -name modules.store);");
    CHECK(changed.exit_code == 122);
    CHECK(changed.out.empty());
    CHECK(work.run("ls home/Library/*/omnistasis").out.empty());
}

TEST_CASE("copies of a sealed bundle that nobody starts any more go, with what was saved in them") {
    Bundles work("old");
    work.make("One.app");
    CHECK(work.start("One.app", "a").out == "1 1 2\n");
    work.write("logbook.py", std::string("# a newer version\n") + logbook);
    work.make("Two.app");
    // Something was saved in the old copy by replacing it; it was last started four days ago.
    auto old = work.run(
        "cd home/Library/*/omnistasis/logbook-*; f=$(find . -name settings.json -path '*app/*'); rm \"$f\"; "
        "echo '{\"starts\": 40}' > \"$f\"; touch -d '4 days ago' .complete; pwd");
    CHECK(work.start("Two.app", "b").out == "2 41 3\n");
    // The removal goes on in the background.
    CHECK(work.run("for i in $(seq 200); do [ -e \"" + old.out.substr(0, old.out.size() - 1) +
                   "\" ] || exit 0; sleep 0.05; done; exit 1")
              .exit_code == 0);
}

TEST_CASE("a signed bundle starts with its publisher's signature only, unpacked for its user") {
    Bundles work("signed bundle");
    work.shell("for key in ours theirs; do openssl genpkey -algorithm ed25519 -out $key.key; done; mkdir -p "
               "One.app/Contents/MacOS One.app/Contents/Resources");
    std::string launcher = read_text(SIGNED_BUNDLE_LAUNCHER).value();
    auto payload_signed_with = [&](const std::string& key) {
        REQUIRE(work.omnistasis({"build", "--compress", "fast", "--out", "out", "--sign", key}).exit_code ==
                0);
        return read_text(work.path("out/logbook")).value();
    };
    std::string ours = payload_signed_with("ours.key"), theirs = payload_signed_with("theirs.key");
    auto put = [&](const std::string& payload) {
        work.write("One.app/Contents/Resources/logbook.payload", payload);
    };
    auto with_key = payload::with_public_key(launcher, payload::public_key_of(ours));
    REQUIRE(with_key);
    work.write("One.app/Contents/MacOS/logbook", *with_key);
    work.shell("chmod +x One.app/Contents/MacOS/logbook");
    put(ours);
    CHECK(work.start("One.app", "a").out == "1 1 2\n");
    CHECK(work.start("One.app", "b").out == "2 2 3\n");
    CHECK(work.run("ls home/Library/*/omnistasis").out.starts_with("logbook-"));
    for (const char* before : {"", "rm -rf home/Library/*/omnistasis;"}) {
        put(theirs);
        ProgramOutput of_another = work.start("One.app", "c", before);
        CHECK(of_another.exit_code == 122);
        CHECK(of_another.out.empty());
        CHECK(of_another.err.find("signature") != std::string::npos);
    }
    std::string changed = ours;
    changed[changed.size() / 2] = static_cast<char>(changed[changed.size() / 2] ^ 1);
    put(changed);
    ProgramOutput damaged = work.start("One.app", "d", "rm -rf home/Library/*/omnistasis;");
    CHECK(damaged.exit_code == 122);
    CHECK(damaged.out.empty());
    put(ours);
    CHECK(work.start("One.app", "e").out.starts_with("3 "));
}
