#include "dress/icon_files.h"
#include "dress/pe_resources.h"
#include "dress/platform.h"
#include "native/mach_signature.h"
#include "support/archive.h"
#include "support/files.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>
#include <openssl/evp.h>
#include <sys/stat.h>

namespace omnistasis::dress {

namespace {

constexpr const char* plist_head = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
                                   "<!DOCTYPE plist PUBLIC \"-//Apple//DTD PLIST 1.0//EN\" "
                                   "\"http://www.apple.com/DTDs/PropertyList-1.0.dtd\">\n"
                                   "<plist version=\"1.0\">\n";

std::string base64(ByteSpan bytes) {
    std::string out((bytes.size() + 2) / 3 * 4 + 1, '\0');
    int size = ::EVP_EncodeBlock(reinterpret_cast<unsigned char*>(out.data()), bytes.data(),
                                 static_cast<int>(bytes.size()));
    out.resize(static_cast<std::size_t>(size));
    return out;
}

std::string sha1(ByteSpan bytes) {
    std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
    unsigned size = 0;
    ::EVP_Digest(bytes.data(), bytes.size(), digest.data(), &size, ::EVP_sha1(), nullptr);
    return base64({digest.data(), size});
}

/// Info.plist ("Information Property List", Apple).
std::string information(const Project& project) {
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
        {"LSMinimumSystemVersion", "11.0"},
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

/// CodeResources ("Code Signing", resource rules of version 2): the hash of each file below Contents but for
/// the main program and the seal itself.
Result<std::string> resources(const fs::path& contents, const std::string& program) {
    std::map<std::string, std::pair<std::string, std::string>> files; // to SHA-1 and SHA-256
    std::map<std::string, std::string> links;
    std::optional<Error> failed;
    each_entry_below(contents, [&](const fs::directory_entry& entry) {
        std::string place = entry.path().lexically_relative(contents).string();
        std::error_code ignored;
        if (entry.is_symlink(ignored)) {
            links[place] = fs::read_symlink(entry.path(), ignored).string();
            return;
        }
        if (!entry.is_regular_file(ignored) || place == program || place.starts_with("_CodeSignature/"))
            return;
        auto content = MappedFile::open(entry.path());
        if (!content) {
            failed = content.error();
            return;
        }
        files[place] = {sha1(content->bytes()), base64(sha256(content->bytes()))};
    });
    if (failed) return tl::make_unexpected(*failed);
    std::string out = std::string(plist_head) + "<dict>\n  <key>files</key>\n  <dict>\n";
    for (const auto& [place, hashes] : files)
        if (place.starts_with("Resources/"))
            out += fmt::format("    <key>{}</key>\n    <data>{}</data>\n", xml_text(place), hashes.first);
    out += "  </dict>\n  <key>files2</key>\n  <dict>\n";
    for (const auto& [place, hashes] : files)
        // The directory of the program has these two sealed by itself.
        if (place != "Info.plist" && place != "PkgInfo")
            out += fmt::format("    <key>{}</key>\n    <dict>\n      <key>hash</key>\n      <data>{}</data>\n"
                               "      <key>hash2</key>\n      <data>{}</data>\n    </dict>\n",
                               xml_text(place), hashes.first, hashes.second);
    for (const auto& [place, to] : links)
        out += fmt::format("    <key>{}</key>\n    <dict>\n      <key>symlink</key>\n      "
                           "<string>{}</string>\n    </dict>\n",
                           xml_text(place), xml_text(to));
    out += "  </dict>\n  <key>rules</key>\n  <dict>\n    <key>^Resources/</key>\n    <true/>\n"
           "    <key>^version.plist$</key>\n    <true/>\n  </dict>\n"
           "  <key>rules2</key>\n  <dict>\n    <key>.*</key>\n    <true/>\n"
           "    <key>^Info\\.plist$</key>\n    <dict>\n      <key>omit</key>\n      <true/>\n      "
           "<key>weight</key>\n      <real>20</real>\n    </dict>\n"
           "    <key>^PkgInfo$</key>\n    <dict>\n      <key>omit</key>\n      <true/>\n      "
           "<key>weight</key>\n      <real>20</real>\n    </dict>\n"
           "  </dict>\n</dict>\n</plist>\n";
    return out;
}

class MacosPlatform : public Platform {
  public:
    Shape shape(const Project& project) const override {
        std::string bundle = project.name + ".app";
        return {bundle,
                bundle + "/Contents/MacOS/" + project.name,
                bundle + "/Contents/Resources/tree",
                bundle + "/Contents/Resources/" + project.name + ".payload",
                "../Resources/tree",
                project.form == Form::file};
    }

    Result<void> check(const Project& project) const override {
        if (!version_numbers(project.version))
            return fail(ErrorKind::bad_input,
                        fmt::format("`{}` is no version that macOS knows", project.version), "app.version",
                        "up to three numbers with dots between them are", "write it as 1.4.0");
        if (!project.states.empty())
            return fail(
                ErrorKind::missing, "state is not yet kept on macOS", project.states.front().where,
                "nothing may be written into an application bundle",
                "let the application write below ~/Library/Application Support there, or build without "
                "this target");
        return {};
    }

    Result<std::string> dressed(std::string launcher, const Project&, const IconPictures*) const override {
        return launcher;
    }

    Result<void> finish(const std::filesystem::path& folder, const Project& project,
                        const IconPictures* icon) const override {
        fs::path contents = folder / (project.name + ".app") / "Contents";
        std::string plist = information(project);
        if (auto done = write_new(contents / "Info.plist", as_bytes(plist), 0644); !done) return done;
        if (auto done = write_new(contents / "PkgInfo", as_bytes("APPL????"), 0644); !done) return done;
        if (icon != nullptr) {
            std::vector<Picture> pictures;
            for (int edge : macos_icon_edges) pictures.push_back(icon->at(edge));
            fs::path file = contents / "Resources" / (project.name + ".icns");
            if (auto done = write_new(file, as_bytes(icns_bytes(pictures)), 0644); !done) return done;
        }
        auto sealed = resources(contents, "MacOS/" + project.name);
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
