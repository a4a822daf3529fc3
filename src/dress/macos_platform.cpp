#include "dress/bundle_seal.h"
#include "dress/icon_files.h"
#include "dress/pe_resources.h"
#include "dress/platform.h"
#include "dress/plist.h"
#include "native/mach_signature.h"
#include "native/oldest_system.h"
#include "support/archive.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <sys/stat.h>

namespace omnistasis::dress {

namespace {

/// Info.plist ("Information Property List", Apple).
std::string information(const Project& project, const std::string& oldest_system) {
    std::map<std::string, std::string> texts{
        {"CFBundleDevelopmentRegion", "en"},
        {"CFBundleDisplayName", project.title},
        {"CFBundleExecutable", project.name},
        {"CFBundleIdentifier", identifier_of(project)},
        {"CFBundleInfoDictionaryVersion", "6.0"},
        {"CFBundleName", project.title.substr(0, 15)},
        {"CFBundlePackageType", "APPL"},
        {"CFBundleShortVersionString", project.version.empty() ? "0.0.0" : project.version},
        {"CFBundleVersion", project.version.empty() ? "0.0.0" : project.version},
        {"LSMinimumSystemVersion", oldest_system},
        {"NSPrincipalClass", "NSApplication"}};
    if (!project.icon.empty()) texts["CFBundleIconFile"] = project.name + ".icns";
    if (!project.macos_category.empty()) texts["LSApplicationCategoryType"] = project.macos_category;
    if (!project.windows.copyright.empty()) texts["NSHumanReadableCopyright"] = project.windows.copyright;
    std::string out = std::string(plist_head) + "<dict>\n";
    for (const auto& [key, text] : texts) {
        out += fmt::format("  <key>{}</key>\n  <string>{}</string>\n", key, xml_text(text));
        if (key == "LSMinimumSystemVersion") {
            // A program for a terminal has no menu and no place in the dock.
            if (project.mode == Mode::console) out += "  <key>LSUIElement</key>\n  <true/>\n";
            out += "  <key>NSHighResolutionCapable</key>\n  <true/>\n";
        }
    }
    return out + "</dict>\n</plist>\n";
}

/// The oldest macOS that all native files of a tree are made for; at least that of our launcher.
std::string oldest_system(const EachTreeFile& each_file) {
    native::OldestSystem oldest;
    each_file([&](const std::string& place, ByteSpan content) {
        if (!native::looks_like_mach_o(content)) return;
        if (auto file = native::read_mach_o(content, place)) oldest.add(place, *file);
    });
    const std::vector<int> of_launcher{11, 0};
    return native::version_text(std::max(oldest.system().version, of_launcher));
}

class MacosPlatform : public Platform {
  public:
    Shape shape(const Project& project) const override {
        std::string bundle = project.name + ".app";
        bool packed = project.form == Form::file;
        // Files that lie open could be changed after a signature was checked.
        bool open = !packed || project.signing_key.empty();
        return {bundle,
                bundle + "/Contents/MacOS/" + project.name,
                open ? bundle + "/Contents/Resources/tree" : "",
                bundle + "/Contents/Resources/" + project.name + ".payload",
                open ? "../Resources/tree" : "",
                packed};
    }

    Result<void> check(const Project& project) const override {
        if (!version_numbers(project.version))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` is no version that macOS knows", project.version), "app.version",
                        "up to three numbers with dots between them are", "write it as 1.4.0");
        return {};
    }

    Result<std::string> dressed(std::string launcher, const Project&, const IconPictures*) const override {
        return launcher;
    }

    std::string icon_file(const IconPictures& icon) const override {
        std::vector<Picture> pictures;
        for (int edge : macos_icon_edges) pictures.push_back(icon.at(edge));
        return icns_bytes(pictures);
    }

    Result<void> finish(const std::filesystem::path& folder, const Project& project, const IconPictures*,
                        const std::string& icon_file, const EachTreeFile& each_file) const override {
        fs::path contents = folder / (project.name + ".app") / "Contents";
        std::string plist = information(project, oldest_system(each_file));
        if (auto done = write_new(contents / "Info.plist", as_bytes(plist), 0644); !done) return done;
        if (auto done = write_new(contents / "PkgInfo", as_bytes("APPL????"), 0644); !done) return done;
        if (!icon_file.empty()) {
            fs::path file = contents / "Resources" / (project.name + ".icns");
            if (auto done = write_new(file, as_bytes(icon_file), 0644); !done) return done;
        }
        auto sealed = bundle_seal(contents, "MacOS/" + project.name);
        if (!sealed) return pass_on(sealed);
        std::error_code failed;
        fs::create_directories(contents / "_CodeSignature", failed);
        if (auto done = write_new(contents / "_CodeSignature/CodeResources", as_bytes(*sealed), 0644); !done)
            return done;
        fs::path program = contents / "MacOS" / project.name;
        auto bytes = read_text(program);
        if (!bytes) return pass_on(bytes);
        auto signed_program =
            native::with_seal(std::move(*bytes), {identifier_of(project), plist, *sealed}, program.string());
        if (!signed_program) return pass_on(signed_program);
        return write_atomically(program, *signed_program, 0755);
    }

    const std::vector<int>& icon_edges() const override { return macos_icon_edges; }
};

} // namespace

const Platform& macos_platform() {
    static const MacosPlatform platform;
    return platform;
}

} // namespace omnistasis::dress
