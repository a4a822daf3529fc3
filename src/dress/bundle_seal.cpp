#include "dress/bundle_seal.h"

#include "dress/pe_resources.h"
#include "dress/plist.h"
#include "support/base64.h"
#include "support/files.h"
#include "support/hash.h"

#include <fmt/format.h>
#include <map>
#include <optional>

namespace omnistasis::dress {

Result<std::string> bundle_seal(const std::filesystem::path& contents, const std::string& program) {
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
        files[place] = {base64(sha1(content->bytes())), base64(sha256(content->bytes()))};
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

} // namespace omnistasis::dress
