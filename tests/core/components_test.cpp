// Which components an output has, and what their licences are.
#include "folder.h"
#include "review/components.h"
#include "trace/capabilities.h"

#include <algorithm>
#include <set>

using namespace omnistasis;
using namespace omnistasis::review;

namespace {

const std::string mit =
    "Permission is hereby granted, free of charge, to any person obtaining a copy of this software "
    "... The above copyright notice and this permission notice shall be included in all "
    "copies or substantial portions of the Software.";

/// A language with packages that a test names.
class PackagedRuntime : public trace::Runtime, public trace::KnowsPackages {
  public:
    std::vector<trace::Package> known;
    std::string file = "/nowhere/made-up";

    std::string title() const override { return "Made Up 1.2"; }
    fs::path program() const override { return file; }
    Result<trace::Expansion> roots() override { return trace::Expansion(); }
    trace::Expansion expand(const trace::Unit&) override { return {}; }
    Result<std::vector<trace::MadeFile>> make_files(const std::vector<trace::Unit>&, unsigned,
                                                    Observer&) override {
        return std::vector<trace::MadeFile>();
    }
    trace::Start start() const override { return {}; }
    std::vector<trace::Package> packages(const std::vector<trace::Unit>&) override { return known; }
    trace::Package own_package() override {
        trace::Package package;
        package.name = "made-up";
        package.version = "1.2";
        package.type = "generic";
        package.licence_expression = "Zlib";
        return package;
    }
    std::optional<Rehearsed::File> package_file(const fs::path&) override { return std::nullopt; }
};

trace::Package package(const std::string& name, std::vector<trace::UnitId> units) {
    trace::Package one;
    one.name = name;
    one.version = "2.0";
    one.type = "pypi";
    one.units = std::move(units);
    return one;
}

trace::Unit unit(trace::UnitKind kind, const std::string& name, const std::string& file, bool own = false,
                 bool of_runtime = false) {
    return {kind, name, file, "app/" + name, own, of_runtime};
}

struct Packaged : test::Folder {
    PackagedRuntime runtime;
    trace::Graph graph;
    LicenceList licences = std::move(*LicenceList::read(DATA_FOLDER));

    Components found() {
        Store none{fs::path()};
        return find_components(graph, runtime, licences, none);
    }
};

const Component* named(const Components& components, const std::string& name) {
    auto found = std::ranges::find(components.all, name, &Component::name);
    return found == components.all.end() ? nullptr : &*found;
}

} // namespace

TEST_CASE("units belong to the application, the runtime or a package") {
    Packaged packaged;
    packaged.graph.units = {unit(trace::UnitKind::code, "main", packaged.write("main.up"), true),
                            unit(trace::UnitKind::code, "charts", packaged.write("charts.up")),
                            unit(trace::UnitKind::code, "json", packaged.write("json.up"), false, true)};
    packaged.runtime.known = {package("charts", {1})};
    Components components = packaged.found();
    REQUIRE(components.of_unit.size() == 3);
    CHECK(components.of_unit[0] == Components::own);
    CHECK(components.all[components.of_unit[1]].name == "charts");
    CHECK(components.all[components.of_unit[2]].kind == Component::Kind::runtime);
    CHECK(std::ranges::is_sorted(components.all, {}, &Component::name));
}

TEST_CASE("a library that lies beside the runtime in its own folder is the runtime's") {
    Packaged packaged;
    packaged.runtime.file = packaged.write("made-up/bin/made-up");
    packaged.graph.units = {
        unit(trace::UnitKind::native, "libmadeup.so.1", packaged.write("made-up/lib/libmadeup.so.1")),
        unit(trace::UnitKind::native, "libother.so.1", packaged.write("elsewhere/libother.so.1"))};
    Components components = packaged.found();
    CHECK(components.all[components.of_unit[0]].kind == Component::Kind::runtime);
    CHECK(components.all[components.of_unit[1]].name == "libother.so.1");
}

TEST_CASE("a licence is what the metadata says in SPDX's words, before anything else") {
    Packaged packaged;
    packaged.graph.units = {unit(trace::UnitKind::code, "charts", packaged.write("charts.up"))};
    trace::Package charts = package("charts", {0});
    charts.licence_expression = "MIT OR Apache-2.0";
    charts.licence_names = {"BSD License"};
    packaged.runtime.known = {charts};
    Components components = packaged.found();
    const Component* found = named(components, "charts");
    REQUIRE(found != nullptr);
    CHECK(found->licence == "MIT OR Apache-2.0");
    CHECK(found->version == "2.0");
    CHECK(found->url == "pkg:pypi/charts@2.0");
}

TEST_CASE("a licence is told by other words, or by the text of the licence file") {
    Packaged packaged;
    packaged.graph.units = {unit(trace::UnitKind::code, "a", packaged.write("a.up")),
                            unit(trace::UnitKind::code, "b", packaged.write("b.up")),
                            unit(trace::UnitKind::code, "c", packaged.write("c.up"))};
    trace::Package a = package("a", {0}), b = package("b", {1}), c = package("c", {2});
    a.licence_names = {"MIT License"};
    b.licence_files = {packaged.write("b-LICENSE", mit)};
    c.licence_names = {"ask the harbour master"};
    packaged.runtime.known = {a, b, c};
    Components components = packaged.found();
    CHECK(named(components, "a")->licence == "MIT");
    CHECK(named(components, "b")->licence == "MIT");
    CHECK_FALSE(named(components, "b")->said_by.empty());
    CHECK(named(components, "c")->licence.empty());
}

TEST_CASE("the notice names every component, and has each text once") {
    Packaged packaged;
    std::string first = packaged.write("one/LICENSE", mit), second = packaged.write("two/LICENSE", mit);
    packaged.graph.units = {unit(trace::UnitKind::code, "a", packaged.write("a.up")),
                            unit(trace::UnitKind::code, "b", packaged.write("b.up"))};
    trace::Package a = package("a", {0}), b = package("b", {1});
    a.licence_files = {first};
    b.licence_files = {second};
    packaged.runtime.known = {a, b};
    std::string text = notice_text(packaged.found(), "Tideboard");
    CHECK(text.find("Tideboard") != std::string::npos);
    CHECK(text.find("a 2.0") != std::string::npos);
    CHECK(text.find("b 2.0") != std::string::npos);
    std::size_t at = text.find("Permission is hereby granted");
    REQUIRE(at != std::string::npos);
    CHECK(text.find("Permission is hereby granted", at + 1) == std::string::npos);
}

TEST_CASE("a library of the system is its package's, with the licence that the system knows") {
    std::string library = "/usr/lib/" + host_info().library_folder + "/libz.so.1";
    if (!is_file("/var/lib/dpkg/status") || !is_file(library)) {
        WARN("skipped: this system has another package manager, or no zlib");
        return;
    }
    Packaged packaged;
    packaged.graph.units = {unit(trace::UnitKind::native, "libz.so.1", library)};
    Components components = packaged.found();
    const Component* zlib = named(components, "zlib1g");
    REQUIRE(zlib != nullptr);
    CHECK(zlib->kind == Component::Kind::system_package);
    CHECK(zlib->licence.find("Zlib") != std::string::npos);
    CHECK(zlib->url.starts_with("pkg:deb/debian/zlib1g@"));
}

TEST_CASE("kinds of components have words") {
    CHECK(word_of(Component::Kind::runtime) == "runtime");
    CHECK(word_of(Component::Kind::package) == "package");
    CHECK(word_of(Component::Kind::system_package) == "system");
}
