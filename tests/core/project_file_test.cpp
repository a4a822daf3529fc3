// omnistasis.toml: every key read and written, and what is said of a wrong one.
#include "folder.h"
#include "project/project_file.h"
#include "project/project_keys.h"
#include "support/toml.h"

#include <algorithm>

using namespace omnistasis;

namespace {

Result<Project> read(const std::string& text) {
    test::Folder folder;
    std::string file = folder.write("omnistasis.toml", text);
    Project project;
    project.folder = folder.path();
    if (auto done = read_project_file(file, project); !done) return pass_on(done);
    return project;
}

Project must_read(const std::string& text) {
    auto project = read(text);
    INFO(text);
    REQUIRE(project);
    return *project;
}

Error error_of(const std::string& text) {
    auto project = read(text);
    INFO(text);
    REQUIRE_FALSE(project);
    return project.error();
}

/// A file and what it must be refused with.
struct Refused {
    const char* text;
    const char* line; ///< ":line:column" at the end of the place
    const char* said; ///< in one of the error's texts
};

bool says(const Error& error, const std::string& part) {
    return (error.what + "\n" + error.why + "\n" + error.hint).find(part) != std::string::npos;
}

using Texts = std::vector<std::string>;

const char* const everything = R"([app]
name = "tideboard"
title = "Tideboard"
version = "1.4.0"
publisher = "Port Halcyon Harbour Office"
summary = "Tide tables and berth clearances"
description = "All tides of the year."
identifier = "harbour.example.tideboard"
homepage = "https://harbour.example"
licence = "MIT"
released = "2026-11-30"
entry = "tideboard/__main__.py"
mode = "window"
working_folder = "caller"
icon = "art/tide.svg"

[runtime]
language = "python"
home = ".venv"
sources = true
drop_docstrings = true

[trace]
without = ["own-files", "trial-imports"]
include = ["tideboard.feeds.*"]
exclude = ["numpy.tests"]
lore = ["our-lore.toml"]

[native]
carry_libc = true
keep_debug_symbols = true
carry = ["libssl.so.3"]
host = ["libGL.so.1"]
programs = ["ffmpeg"]

[[asset]]
from = "charts/**"
to = "charts"

[[asset]]
from = "flags.csv"

[[state]]
path = "logbook.db"

[[allow]]
file = "quay.py"
kind = "password"
reason = "it opens nothing"

[terms]
refuse = ["AGPL-*"]

[[terms.settled]]
package = "charts"
licence = "MIT"
reason = "as its author wrote"

[report]
read_me = "read-me.txt"

[windows]
elevation = "administrator"
code_page = "utf-8"
scaling = "monitor"
copyright = "Port Halcyon"
comments = "For the bridge"

[[windows.language]]
code = "de-DE"
title = "Gezeiten"
summary = "Gezeitentafeln"

[linux]
categories = ["Science"]
window_class = "Tideboard"

[macos]
category = "public.app-category.utilities"

[output]
sign = "publisher.key"
form = "folder"
compress = "small"
targets = ["linux-x86_64"]
)";

} // namespace

TEST_CASE("a project file with every key is read") {
    Project project = must_read(everything);
    CHECK(project.name == "tideboard");
    CHECK(project.title == "Tideboard");
    CHECK(project.version == "1.4.0");
    CHECK(project.publisher == "Port Halcyon Harbour Office");
    CHECK(project.summary == "Tide tables and berth clearances");
    CHECK(project.description == "All tides of the year.");
    CHECK(project.identifier == "harbour.example.tideboard");
    CHECK(project.homepage == "https://harbour.example");
    CHECK(project.licence == "MIT");
    CHECK(project.released == "2026-11-30");
    CHECK(project.entry == "tideboard/__main__.py");
    CHECK(project.mode == Mode::window);
    CHECK(project.working_folder == WorkingFolder::caller);
    CHECK(project.icon == "art/tide.svg");
    CHECK(project.language == "python");
    CHECK(project.runtime_home == ".venv");
    CHECK(project.sources);
    CHECK(project.drop_docstrings);
    CHECK_FALSE(project.own_files);
    CHECK(project.whole_packages);
    CHECK_FALSE(project.trial_imports);
    CHECK(project.include == Texts{"tideboard.feeds.*"});
    CHECK(project.exclude == Texts{"numpy.tests"});
    CHECK(project.lore == Texts{"our-lore.toml"});
    CHECK(project.carry_libc);
    CHECK(project.keep_debug_symbols);
    CHECK(project.carried_libraries == Texts{"libssl.so.3"});
    CHECK(project.host_libraries == Texts{"libGL.so.1"});
    CHECK(project.programs == Texts{"ffmpeg"});
    REQUIRE(project.assets.size() == 2);
    CHECK(project.assets[0].from == "charts/**");
    CHECK(project.assets[0].to == "charts");
    CHECK(project.assets[0].where.ends_with("omnistasis.toml:36:1"));
    CHECK(project.assets[1].to.empty());
    REQUIRE(project.states.size() == 1);
    CHECK(project.states[0].path == "logbook.db");
    REQUIRE(project.allowances.size() == 1);
    CHECK(project.allowances[0].kind == "password");
    CHECK(project.refused_licences == Texts{"AGPL-*"});
    REQUIRE(project.licence_decisions.size() == 1);
    CHECK(project.licence_decisions[0].package == "charts");
    CHECK(project.read_me_template == "read-me.txt");
    CHECK(project.windows.elevation == Elevation::administrator);
    CHECK(project.windows.code_page == CodePage::utf8);
    CHECK(project.windows.scaling == Scaling::monitor);
    CHECK(project.windows.copyright == "Port Halcyon");
    CHECK(project.windows.comments == "For the bridge");
    REQUIRE(project.windows.languages.size() == 1);
    CHECK(project.windows.languages[0].language == "de-DE");
    CHECK(project.windows.languages[0].summary == "Gezeitentafeln");
    CHECK(project.linux_categories == Texts{"Science"});
    CHECK(project.window_class == "Tideboard");
    CHECK(project.macos_category == "public.app-category.utilities");
    CHECK(project.signing_key == "publisher.key");
    CHECK(project.form == Form::folder);
    CHECK(project.compression == Compression::small);
    CHECK(project.targets == Texts{"linux-x86_64"});
}

TEST_CASE("what is written is what was read, key for key") {
    CHECK(project_file_text(must_read(everything)) == everything);
}

TEST_CASE("every key of the description is in the file with every key") {
    for (const ProjectPart& part : project_parts()) {
        if (const auto* table = std::get_if<ProjectTable>(&part)) {
            CHECK(std::string(everything).find("[" + table->name + "]") != std::string::npos);
            for (const ProjectKey& key : table->keys) {
                INFO(table->name << "." << key.name);
                CHECK(std::string(everything).find("\n" + key.name + " = ") != std::string::npos);
            }
        } else {
            const auto& list = std::get<ProjectRecords>(part);
            CHECK(std::string(everything).find("[[" + list.name + "]]") != std::string::npos);
        }
    }
}

TEST_CASE("what is as it would be anyway is not written") {
    Project project = must_read("[app]\nname = \"buoy\"\ntitle = \"buoy\"\nentry = \"buoy.py\"\n");
    project.targets = {"linux-x86_64"};
    CHECK(project_file_text(project) == "[app]\nname = \"buoy\"\nentry = \"buoy.py\"\nmode = \"console\"\n\n"
                                        "[output]\nform = \"file\"\ntargets = [\"linux-x86_64\"]\n");
}

TEST_CASE("paths below the project are written relative to it, others as they are") {
    Project project;
    project.folder = "/srv/harbour";
    project.name = "buoy";
    project.icon = "/srv/harbour/art/buoy.svg";
    project.runtime_home = "/opt/python/bin/python3";
    project.signing_key = "keys/publisher.key";
    std::string text = project_file_text(project);
    CHECK(text.find("icon = \"art/buoy.svg\"\n") != std::string::npos);
    CHECK(text.find("home = \"/opt/python/bin/python3\"\n") != std::string::npos);
    CHECK(text.find("sign = \"keys/publisher.key\"\n") != std::string::npos);
}

TEST_CASE("texts with quotes, line breaks and other letters come back as they were") {
    Project project;
    project.name = "böje \"zwei\"";
    project.summary = "first line\nsecond\tline \\ end";
    project.publisher = "港";
    Project again = must_read(project_file_text(project));
    CHECK(again.name == project.name);
    CHECK(again.summary == project.summary);
    CHECK(again.publisher == project.publisher);
}

TEST_CASE("a state that is a folder stays one") {
    Project project;
    project.name = "log";
    project.states = {{"logs", true, ""}, {"berths.db", false, ""}};
    Project again = must_read(project_file_text(project));
    REQUIRE(again.states.size() == 2);
    CHECK(again.states[0].path == "logs/");
    CHECK(again.states[1].path == "berths.db");
}

TEST_CASE("a wrong project file is refused with the place and what is expected") {
    const Refused refused[] = {
        {"app = 5\n", ":1:7", "a table is expected, here is a number"},
        {"[app]\nname = 5\n", ":2:8", "a string is expected, here is a number"},
        {"[app]\nname = 5.5\n", ":2:8", "here is a number"},
        {"[app]\nname = true\n", ":2:8", "here is true or false"},
        {"[app]\nname = [\"a\"]\n", ":2:8", "here is a list"},
        {"[app]\nname = {a = 1}\n", ":2:8", "here is a table"},
        {"[app]\nname = 2026-11-30\n", ":2:8", "here is a date or time"},
        {"[app]\nmode = \"windw\"\n", ":2:8", "there is no mode `windw`"},
        {"[app]\nmode = \"windw\"\n", ":2:8", "it is one of console, window"},
        {"[app]\nworking_folder = \"home\"\n", ":2:18", "it is one of caller, app"},
        {"[output]\nform = \"one\"\n", ":2:8", "it is one of file, folder"},
        {"[output]\ncompress = \"max\"\n", ":2:12", "it is one of fast, balanced, small"},
        {"[windows]\nelevation = \"root\"\n", ":2:13", "it is one of caller, highest, administrator"},
        {"[trace]\nwithout = [\"own\"]\n", ":2:11", "it is one of own-files, whole-packages, trial-imports"},
        {"[trace]\ninclude = \"numpy\"\n", ":2:11", "a list of strings is expected, here is a string"},
        {"[trace]\ninclude = [\"numpy\", 5]\n", ":2:21", "a string is expected, here is a number"},
        {"[runtime]\nsources = \"yes\"\n", ":2:11", "true or false is expected, here is a string"},
        {"[app]\nnane = \"x\"\n", ":2:1", "did you mean `name`?"},
        {"[app]\nentry_point = \"x\"\nzzz = 1\n", "", "unknown key"},
        {"[ap]\nname = \"x\"\n", ":1:2", "did you mean `app`?"},
        {"[windows]\nlanguages = 5\n", ":2:1", "did you mean `language`?"},
        {"[trace]\nqqqqqq = 1\n", ":2:1", "the keys here are without, include, exclude, lore"},
        {"[asset]\nfrom = \"a\"\n", ":1:1", "[[asset]] with two pairs of brackets is expected"},
        {"asset = [5]\n", ":1:10", "a table with `from` is expected"},
        {"[[asset]]\nto = \"a\"\n", ":1:1", "a table [[asset]] has no `from`"},
        {"[[asset]]\nfrom = \"a\"\ninto = \"b\"\n", ":3:1", "unknown key `into`"},
        {"[[asset]]\nfrom = 5\n", ":2:8", "a string is expected"},
        {"[[state]]\n", ":1:1", "a table [[state]] has no `path`"},
        {"[[allow]]\nfile = \"a\"\n", ":1:1", "a table [[allow]] has no `reason`"},
        {"[[allow]]\nfile = \"a\"\n", ":1:1", "add reason = \"...\""},
        {"[[terms.settled]]\npackage = \"a\"\nreason = \"b\"\n", ":1:1",
         "a table [[terms.settled]] has no `licence`"},
        {"[[windows.language]]\ntitle = \"a\"\n", ":1:1", "a table [[windows.language]] has no `code`"},
        {"[app]\nname = \"a\nb\"\n", ":2", "the project file is not valid TOML"},
        {"[app\n", ":1", "the project file is not valid TOML"},
        {"[app]\nname = \"a\"\nname = \"b\"\n", ":3", "the project file is not valid TOML"},
    };
    for (const Refused& one : refused) {
        Error error = error_of(one.text);
        INFO(one.text << "\n"
                      << error.where << "\n"
                      << error.what << "\n"
                      << error.why << "\n"
                      << error.hint);
        CHECK(error.kind == ErrorKind::bad_input);
        CHECK(error.where.find(std::string("omnistasis.toml") + one.line) != std::string::npos);
        CHECK(says(error, one.said));
    }
}

TEST_CASE("a project file that can't be read says why") {
    Project project;
    auto gone = read_project_file("/nowhere/omnistasis.toml", project);
    REQUIRE_FALSE(gone);
    CHECK(gone.error().kind == ErrorKind::unreadable);
    CHECK(gone.error().where == "/nowhere/omnistasis.toml");
}

TEST_CASE("any bytes as project file are an error or a project, never a crash") {
    std::string text = everything;
    for (std::size_t at = 0; at < text.size(); at += 7) {
        std::string damaged = text;
        damaged[at] = static_cast<char>(damaged[at] ^ 0x5b);
        (void)read(damaged);
        (void)read(text.substr(0, at));
    }
}

TEST_CASE("a project is loaded with the options over its file, and defaults under it") {
    test::Folder folder;
    folder.write("tide.py", "print(1)\n");
    folder.write("omnistasis.toml", "[app]\nname = \"tide\"\nentry = \"tide.py\"\nmode = \"window\"\n"
                                    "[trace]\ninclude = [\"one\"]\n");
    ProjectOptions options;
    options.entry = folder.path().string();
    auto settle = [](Project& project) -> Result<void> {
        if (project.name.empty()) project.name = "named by its language";
        return {};
    };
    auto plain = load_project(options, settle);
    REQUIRE(plain);
    CHECK(plain->mode == Mode::window);
    CHECK(plain->starts_in_own_folder());
    CHECK(plain->title == "tide");
    CHECK(plain->targets == Texts{host_target()});
    CHECK(plain->output_folder(host_target()) == folder.path() / "out" / host_target());
    options.mode = "console";
    options.name = "ebb";
    options.include = {"two"};
    options.without = {"whole-packages"};
    auto told = load_project(options, settle);
    REQUIRE(told);
    CHECK(told->mode == Mode::console);
    CHECK_FALSE(told->starts_in_own_folder());
    CHECK(told->name == "ebb");
    CHECK(told->include == Texts{"one", "two"});
    CHECK_FALSE(told->whole_packages);
    options.mode = "both";
    auto wrong = load_project(options, settle);
    REQUIRE_FALSE(wrong);
    CHECK(wrong.error().kind == ErrorKind::usage);
    CHECK(wrong.error().where == "--mode");
}

TEST_CASE("names, targets, states and files that can't be are told when the project is loaded") {
    struct Case {
        const char* text;
        const char* said;
    };
    const Case cases[] = {
        {"[app]\nname = \"a/b\"\nentry = \"tide.py\"\n", "can't be the application's name"},
        {"[app]\nname = \"..\"\nentry = \"tide.py\"\n", "can't be the application's name"},
        {"[app]\nname = \"a\\nb\"\nentry = \"tide.py\"\n", "can't be the application's name"},
        {"[app]\nentry = \"tide.py\"\n[output]\ntargets = [\"linux-x86\"]\n", "did you mean linux-x86_64"},
        {"[app]\nentry = \"tide.py\"\n[output]\ntargets = [\"amiga\"]\n", "targets are linux-x86_64"},
        {"[app]\nentry = \"tide.py\"\nicon = \"gone.png\"\n", "the icon is not there"},
        {"[app]\nentry = \"tide.py\"\ntitle = \"a\\nid>x\"\n", "the text of app.title has a line break"},
        {"[app]\nentry = \"tide.py\"\nsummary = \"a\\u0000b\"\n", "another control character"},
        {"[app]\nentry = \"tide.py\"\nidentifier = \"../x\"\n", "can't be an identifier"},
        {"[app]\nentry = \"tide.py\"\nidentifier = \"x';id\"\n", "can't be an identifier"},
        {"[app]\nentry = \"tide.py\"\n[linux]\ncategories = [\"A;Exec=x\"]\n", "is not a category"},
        {"[app]\nentry = \"tide.py\"\n[windows]\ncopyright = \"a\\tb\"\n", "windows.copyright"},
        {"[app]\nentry = \"tide.py\"\n[output]\nsign = \"gone.key\"\n",
         "the key for the signature is not there"},
        {"[app]\nentry = \"tide.py\"\n[[state]]\npath = \"/etc/x\"\n", "it is outside of the project"},
        {"[app]\nentry = \"tide.py\"\n[[state]]\npath = \"../x\"\n", "it is outside of the project"},
        {"[app]\nentry = \"tide.py\"\n[[state]]\npath = \".\"\n", "it is the whole project"},
        {"[app]\nentry = \"tide.py\"\n[[state]]\npath = \"a/\"\n[[state]]\npath = \"a/b\"\n",
         "the state `a/b` is in `a`"},
    };
    for (const Case& one : cases) {
        test::Folder folder;
        folder.write("tide.py", "print(1)\n");
        folder.write("omnistasis.toml", one.text);
        ProjectOptions options;
        options.entry = folder.path().string();
        auto loaded = load_project(options, [](Project& project) -> Result<void> {
            if (project.name.empty()) project.name = "tide";
            return {};
        });
        INFO(one.text);
        REQUIRE_FALSE(loaded);
        INFO(loaded.error().what << "\n" << loaded.error().why << "\n" << loaded.error().hint);
        CHECK(says(loaded.error(), one.said));
    }
}

TEST_CASE("signs beyond ASCII stand in strings and comments, and nowhere else") {
    auto reads = [](const std::string& text) { return static_cast<bool>(toml::parse(text)); };
    CHECK(reads("a = \"Tidenübersicht\" # für alle\nb = 'ä'\nc = \"\"\"ü\n\"ö\" \\\"\"\" ß\"\"\"\nd = "
                "'''é\n'x' ù'''\n"));
    CHECK(reads("\xEF\xBB\xBF"
                "a = 1\n"));
    CHECK_FALSE(reads("größe = 1\n"));
    CHECK_FALSE(reads("a = ä\n"));
    CHECK_FALSE(reads("[gezeiten.übersicht]\n"));
    CHECK_FALSE(reads("a = \"ü\nß = 1\n"));
}
