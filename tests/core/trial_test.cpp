// Trial imports: what helpers answer, whatever they answer, and what is cached of it.
#include "folder.h"
#include "support/confinement.h"
#include "trace/trial.h"

using namespace omnistasis;
using namespace omnistasis::trace;
using test::Folder;

namespace {

bool confines() {
    if (check_confinement()) return true;
    WARN("skipped: this machine does not allow to run programs in isolation");
    return false;
}

/// A helper that is a shell script; the question is on its standard input.
TrialQuestion question(const std::string& script, std::vector<std::string> modules = {"charts"}) {
    return {{"/bin/sh", "-c", "PATH_BEFORE=$PATH; PATH=/usr/bin:/bin; " + script},
            std::move(modules),
            Json::object(),
            script};
}

Trial tried(const TrialQuestion& one) {
    Store none{fs::path()};
    auto answers = try_modules({one}, none);
    REQUIRE(answers.size() == 1);
    REQUIRE(answers[0]);
    return *answers[0];
}

} // namespace

TEST_CASE("each line of a helper is what one module loaded") {
    if (!confines()) return;
    Trial trial = tried(question(R"SH(cat >/dev/null
echo '{"module": "charts", "error": "", "loaded": [["charts", "/p/charts.py"], ["charts.flags", "/p/flags.py", "/p/charts.py"], ["sys", ""]], "opened": ["/p/a.csv"], "libraries": ["/p/libtide.so.1"]}'
echo '{"module": "fog", "error": "ImportError: no fog", "loaded": [], "opened": [], "libraries": []}'
)SH",
                                 {"charts", "fog"}));
    REQUIRE(trial.records.size() == 2);
    CHECK(trial.ended.empty());
    const TrialRecord& charts = trial.records[0];
    REQUIRE(charts.loaded.size() == 3);
    CHECK(charts.loaded[1].name == "charts.flags");
    CHECK(charts.loaded[1].by == "/p/charts.py");
    CHECK(charts.loaded[0].by.empty());
    CHECK(charts.opened == std::vector<std::string>{"/p/a.csv"});
    CHECK(charts.libraries == std::vector<std::string>{"/p/libtide.so.1"});
    CHECK(trial.records[1].error == "ImportError: no fog");
}

TEST_CASE("the modules are asked for on the helper's standard input") {
    if (!confines()) return;
    TrialQuestion one = question(
        "printf '{\"module\": \"%s\"}\\n' \"$(/usr/bin/tr -d '\\n' | /usr/bin/tr '\"' '+')\"", {"charts"});
    one.task = {{"path", {"/p"}}};
    Trial trial = tried(one);
    REQUIRE(trial.records.size() == 1);
    CHECK(trial.records.at(0).module.find("+modules+:[+charts+]") != std::string::npos);
    CHECK(trial.records.at(0).module.find("+path+:[+/p+]") != std::string::npos);
}

TEST_CASE("what is no answer is passed over, and a helper that ends early is told") {
    if (!confines()) return;
    Trial trial =
        tried(question("cat >/dev/null; echo noise; echo '[1]'; echo '{\"module\": 5, \"loaded\": [7, [1], "
                       "[\"a\", \"/b\"]], \"opened\": [3]}'; echo '{\"mod'; exit 7",
                       {"charts", "fog", "ebb"}));
    REQUIRE(trial.records.size() == 1);
    CHECK(trial.records.at(0).module.empty());
    REQUIRE(trial.records[0].loaded.size() == 1);
    CHECK(trial.records[0].loaded[0].file == "/b");
    CHECK(trial.ended == "it ended with exit code 7");
}

TEST_CASE("a helper has no network, an empty home, and can write nowhere else") {
    if (!confines()) return;
    Folder folder;
    std::string file = folder / "written";
    Trial trial =
        tried(question("cat >/dev/null; touch '" + file +
                       "' 2>/dev/null; a=$(ls -A \"$HOME\" | wc -l); n=$(ls /sys/class/net 2>/dev/null | "
                       "grep -cv lo); touch \"$HOME/x\" && printf '{\"module\": \"%s %s %s\"}\\n' \"$a\" "
                       "\"$PATH_BEFORE\" \"${USER:-nobody}\""));
    CHECK_FALSE(fs::exists(file));
    REQUIRE(trial.records.size() == 1);
    CHECK(trial.records.at(0).module == "0 /nowhere nobody");
}

TEST_CASE("an answer is cached under all that it depends on") {
    if (!confines()) return;
    Folder folder;
    Store store(folder / "index.sqlite");
    // What is different in each run would be seen.
    TrialQuestion one = question(
        "cat >/dev/null; read r </proc/sys/kernel/random/uuid; printf '{\"module\": \"%s\"}\\n' \"$r\"");
    auto first = try_modules({one}, store), again = try_modules({one}, store);
    REQUIRE(first[0]);
    REQUIRE(again[0]);
    CHECK(first[0]->records.at(0).module == again[0]->records.at(0).module);
    TrialQuestion other = one;
    other.key += " changed";
    CHECK(try_modules({other}, store)[0]->records.at(0).module != first[0]->records.at(0).module);
    other = one;
    other.task = {{"path", {"/q"}}};
    CHECK(try_modules({other}, store)[0]->records.at(0).module != first[0]->records.at(0).module);
}

TEST_CASE("several questions are answered in their order") {
    if (!confines()) return;
    Store none{fs::path()};
    std::vector<TrialQuestion> questions;
    for (const char* name : {"a", "b", "c", "d"})
        questions.push_back(
            question(std::string("cat >/dev/null; echo '{\"module\": \"") + name + "\"}'", {name}));
    auto answers = try_modules(questions, none);
    REQUIRE(answers.size() == 4);
    for (std::size_t i = 0; i < 4; ++i) {
        if (!answers[i])
            FAIL(answers[i].error().what + " " + answers[i].error().where + " " + answers[i].error().why);
        INFO(answers[i]->ended);
        CHECK(answers[i]->records.at(0).module == questions[i].modules[0]);
    }
}

TEST_CASE("where nothing can be tried, it is said what that means and what to do") {
    LooseEnd end = packages_not_asked("no namespaces", "/usr/bin/python3");
    CHECK(end.kind == "packages-not-asked");
    CHECK(end.what.find("no namespaces") != std::string::npos);
    CHECK(end.file == "/usr/bin/python3");
    CHECK(end.advice.find("--without trial-imports") != std::string::npos);
    CHECK_FALSE(end.minor);
}
