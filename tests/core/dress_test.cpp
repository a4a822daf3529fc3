// What makes an output native to its platform: shapes, names that can't be, texts and their escapes.
#include "dress/pe_resources.h"
#include "dress/platform.h"
#include "folder.h"
#include "support/hash.h"

#include <algorithm>

using namespace omnistasis;
using namespace omnistasis::dress;
using test::Folder;

namespace {

Project project_of(const std::string& target, Form form = Form::file) {
    Project project;
    project.name = "tideboard";
    project.title = "Tideboard";
    project.summary = "Tide tables & berths";
    project.targets = {target};
    project.form = form;
    return project;
}

/// Finishes a folder output for Linux, and gives the file with that ending.
std::string finished(const Folder& folder, const Project& project, const std::string& ending) {
    const Platform& platform = platform_of(project.targets.front());
    folder.write(platform.shape(project).executable, "launcher");
    auto done = platform.finish(folder.path(), project, nullptr, "", {});
    if (!done) FAIL(done.error().what + " " + done.error().where + " " + done.error().why);
    std::string found;
    for (const auto& entry : fs::recursive_directory_iterator(folder.path()))
        if (entry.path().string().ends_with(ending)) found = read_text(entry.path()).value_or("");
    return found;
}

bool holds(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

} // namespace

TEST_CASE("each target has its platform, and outputs of two forms") {
    for (const std::string& target : known_targets()) {
        INFO(target);
        const Platform& platform = platform_of(target);
        Shape file = platform.shape(project_of(target)),
              folder = platform.shape(project_of(target, Form::folder));
        CHECK_FALSE(file.output.empty());
        CHECK(file.executable.starts_with(file.output));
        CHECK(folder.executable.starts_with(folder.output + "/"));
        CHECK_FALSE(folder.tree.empty());
        CHECK(platform.icon_edges().back() >= 256);
        CHECK(platform.check(project_of(target)));
        bool windows = system_of(target) == System::windows;
        CHECK(windows == file.executable.ends_with(".exe"));
    }
}

TEST_CASE("names that a form needs for itself are refused") {
    for (const char* name : {"tree", "share", "menu-entry"}) {
        Project project = project_of("linux-x86_64", Form::folder);
        project.name = name;
        auto checked = platform_of("linux-x86_64").check(project);
        REQUIRE_FALSE(checked);
        CHECK(checked.error().kind == ErrorKind::bad_input);
        project.form = Form::file;
        CHECK(platform_of("linux-x86_64").check(project));
    }
}

TEST_CASE("an identifier is the project's, or made of its name") {
    Project project = project_of("linux-x86_64");
    CHECK(identifier_of(project) == "app.local.tideboard");
    project.name = "2 Tides!";
    CHECK(identifier_of(project) == "app.local._2_tides_");
    project.identifier = "harbour.example.tideboard";
    CHECK(identifier_of(project) == "harbour.example.tideboard");
}

TEST_CASE("a desktop entry has the project's texts, and they stay what they are") {
    Folder folder;
    Project project = project_of("linux-x86_64", Form::folder);
    project.mode = Mode::window;
    project.linux_categories = {"Science", "Education"};
    project.window_class = "Tideboard";
    std::string entry = finished(folder, project, ".desktop");
    CHECK(entry.starts_with("[Desktop Entry]\nType=Application\n"));
    CHECK(holds(entry, "\nName=Tideboard\n"));
    CHECK(holds(entry, "\nComment=Tide tables & berths\n"));
    CHECK(holds(entry, "\nTerminal=false\n"));
    CHECK(holds(entry, "\nCategories=Science;Education;\n"));
    CHECK(holds(entry, "\nStartupWMClass=Tideboard\n"));
    CHECK(holds(entry, "\nExec=\"@FOLDER@/tideboard\"\n"));
    std::string metadata = finished(Folder(), project, ".metainfo.xml");
    CHECK(holds(metadata, "<summary>Tide tables &amp; berths</summary>"));
    CHECK(holds(metadata, "<component type=\"desktop-application\">"));
}

TEST_CASE("a console program's entry opens a terminal") {
    Folder folder;
    std::string entry = finished(folder, project_of("linux-x86_64", Form::folder), ".desktop");
    CHECK(holds(entry, "\nTerminal=true\n"));
    CHECK(holds(entry, "\nCategories=Utility;\n"));
    CHECK_FALSE(holds(entry, "StartupWMClass"));
}

TEST_CASE("versions of Windows have four numbers at most, below 65536") {
    using Numbers = std::array<std::uint16_t, 4>;
    CHECK(version_numbers("1.4.0") == Numbers{1, 4, 0, 0});
    CHECK(version_numbers("7") == Numbers{7, 0, 0, 0});
    CHECK(version_numbers("1.2.3.65535") == Numbers{1, 2, 3, 65535});
    CHECK(version_numbers("1.4.0-rc.1") == Numbers{1, 4, 0, 0});
    CHECK(version_numbers("2026.11+build.5") == Numbers{2026, 11, 0, 0});
    CHECK(version_numbers("") == Numbers{});
    for (const char* wrong :
         {"a", "1.", "1..2", "1.2.3.4.5", "65536", "1.-2", " 1", "99999999999999999999"}) {
        INFO(wrong);
        CHECK_FALSE(version_numbers(wrong));
    }
}

TEST_CASE("languages are known by the names that people use") {
    CHECK(language_identifier("en-US") == 0x0409);
    CHECK(language_identifier("de-DE") == 0x0407);
    CHECK(language_identifier("xx-XX") == 0);
    for (const std::string& name : known_languages()) CHECK(language_identifier(name) != 0);
}

TEST_CASE("a manifest says who it runs as, and its texts are escaped") {
    std::string manifest = application_manifest("app.local.tide", {1, 4, 0, 0}, "Tides & <berths>",
                                                "requireAdministrator", "amd64");
    CHECK(holds(manifest, "level=\"requireAdministrator\""));
    CHECK(holds(manifest, "version=\"1.4.0.0\""));
    CHECK(holds(manifest, "processorArchitecture=\"amd64\""));
    CHECK(holds(manifest, "<description>Tides &amp; &lt;berths&gt;</description>"));
    CHECK(holds(manifest, "longPathAware"));
}

TEST_CASE("what is no program gets no resources") {
    PeDress dress;
    for (const std::string& text :
         {std::string(), std::string("MZ"), std::string(400, 'x'), "MZ" + std::string(600, '\xff')})
        CHECK_FALSE(with_resources(text, dress));
}

TEST_CASE("a program with resources gets other icons and another version, and keeps the rest") {
    fs::path launchers = fs::path(OMNISTASIS_FIXED_PLACES).parent_path();
    auto launcher = read_text(launchers / "launcher-windows-x86_64");
    if (!launcher) {
        WARN("skipped: there is no launcher for Windows");
        return;
    }
    auto picture = [](int edge, std::uint8_t grey) {
        return Picture{edge, edge,
                       std::vector<std::uint8_t>(static_cast<std::size_t>(edge * edge) * 4, grey)};
    };
    auto wide = [](std::string_view text) {
        std::string out;
        for (char c : text) out += {c, '\0'};
        return out;
    };
    PeDress runtime{{picture(16, 40), picture(32, 40)},
                    {20, 1, 0, 0},
                    {{0x0409, {{"ProductName", "Runtime"}}}},
                    "<assembly/>",
                    false};
    std::string program = with_resources(*launcher, runtime).value();
    PeDress own{
        {picture(48, 90)}, {1, 4, 0, 0}, {{0x0409, {{"ProductName", "Tideboard"}}}}, "<other/>", true};
    std::string dressed = with_other_resources(program, own);
    // The former section stays where it was, and nothing leads to it: what comes after it is what counts.
    std::string added = dressed.substr(program.size());
    CHECK(added.find(wide("Tideboard")) != std::string::npos);
    CHECK(added.find(wide("Runtime")) == std::string::npos);
    CHECK(added.find("<assembly/>") != std::string::npos);
    CHECK(added.find("<other/>") == std::string::npos);
    CHECK(added.find("\x89PNG") == std::string::npos);
    CHECK(with_other_resources(program, own) == dressed);
    // The icon has the name that Qt looks for, too; a program with such names can be dressed again.
    CHECK(added.find(wide("IDI_ICON1")) == added.rfind(wide("IDI_ICON1")));
    CHECK(added.find(wide("IDI_ICON1")) != std::string::npos);
    PeDress newer = own;
    newer.texts.front().fields["ProductName"] = "Noticeboard";
    std::string twice = with_other_resources(dressed, newer).substr(dressed.size());
    CHECK(twice.find(wide("Noticeboard")) != std::string::npos);
    CHECK(twice.find(wide("IDI_ICON1")) != std::string::npos);
    CHECK(twice.find("<assembly/>") != std::string::npos);
    // The checksum is right: setting it again changes nothing. The subsystem stays.
    std::string again = dressed;
    set_pe_checksum(again);
    CHECK(again == dressed);
    CHECK(dressed.substr(0, 0x200) != program.substr(0, 0x200));
    PeDress without_icon = own;
    without_icon.icons.clear();
    CHECK(with_other_resources(program, without_icon).size() < dressed.size());
    for (const std::string& no_program :
         {std::string(), std::string("MZ"), std::string(5000, 'x'), program.substr(0, 700)})
        CHECK(with_other_resources(no_program, own) == no_program);
    // A step in the file that nothing could be put at, and a signature that begins within the program.
    auto header =
        static_cast<unsigned char>(program[0x3c]) + 256u * static_cast<unsigned char>(program[0x3d]);
    std::string odd = program;
    odd.replace(header + 24 + 36, 4, "\xff\xff\xff\xff");
    CHECK(with_other_resources(odd, own) == odd);
    std::string cut = program;
    cut.replace(header + 24 + 112 + 32, 8, std::string("\0\x02\0\0\xff\xff\xff\x0f", 8));
    CHECK(with_other_resources(cut, own).size() > cut.size());
}

TEST_CASE("a manifest says settings once, and keeps what else it says") {
    std::string some = manifest_with({}, {{"activeCodePage", "2019", "UTF-8"}});
    CHECK(some.starts_with("<?xml"));
    CHECK(
        some.find("<activeCodePage xmlns=\"http://schemas.microsoft.com/SMI/2019/WindowsSettings\">UTF-8<") !=
        std::string::npos);
    std::string other =
        manifest_with(some, {{"activeCodePage", "2019", "Legacy"}, {"dpiAware", "2005", "true/pm"}});
    CHECK(other.find("UTF-8</activeCodePage>") == std::string::npos);
    CHECK(other.find(">Legacy</activeCodePage>") != std::string::npos);
    CHECK(other.find(">true/pm</dpiAware>") != std::string::npos);
    CHECK(other.find("<windowsSettings>") == other.rfind("<windowsSettings>"));
    CHECK(manifest_with(other, {}) == other);
    CHECK(manifest_with("<assembly><dpiAware ></windowsSettings></assembly></dpiAware>",
                        {{"dpiAware", "2005", "true"}})
              .find(">true</dpiAware>") != std::string::npos);
    CHECK(manifest_with("<assembly><file/></assembly>", {{"dpiAware", "2005", "false"}}).find("<file/>") !=
          std::string::npos);
}

TEST_CASE("hashes are written in small hexadecimal digits") {
    CHECK(hex(sha256(std::string_view(""))) ==
          "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
    CHECK(hex(sha256(std::string_view("tide"))).size() == 64);
    CHECK(hex(sha256(std::string_view("tide"))) != hex(sha256(std::string_view("tidf"))));
}
