#pragma once

#include "drawing/drawing.h"
#include "support/error.h"
#include "support/files.h"

#include <array>
#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::dress {

/// Names of the version fields ("VERSIONINFO resource", Microsoft) to their texts, in one language.
struct VersionTexts {
    std::uint16_t language = 0x0409; ///< a Windows language identifier
    std::map<std::string, std::string> fields;
};

/// What a program for Windows carries besides its code.
/// Elements of `windowsSettings` ("Application Manifests"), name and text with their name space.
struct ManifestSetting {
    std::string name, space, text;
};
using ManifestSettings = std::vector<ManifestSetting>;

struct PeDress {
    std::vector<Picture> icons;             ///< one icon in several sizes; empty: none
    std::array<std::uint16_t, 4> version{}; ///< of file and product
    std::vector<VersionTexts> texts;        ///< the first is shown where no language fits
    std::string manifest;                   ///< XML; empty: none
    bool is_window = false;                 ///< subsystem: no console
    ManifestSettings settings{};            ///< of a program that has a manifest of its own
};

/// A program without resources, with them: a section of their own at its end ("PE Format", The .rsrc
/// Section). The bytes depend on the arguments alone.
Result<std::string> with_resources(std::string program, const PeDress& dress);

/// The same of a program that has resources: icon and version become those of `dress`, the settings are put
/// into its manifest, the others stay, and so does whether it has a console. A signature of the file goes, as
/// it does not fit any more. The program as it is where the types of its resources have names instead of
/// numbers, or where there is no room for a further section.
std::string with_other_resources(std::string program, const PeDress& dress);

/// A manifest that says the settings, whatever it said of them before; of an empty one a new one.
std::string manifest_with(std::string manifest, const ManifestSettings& settings);

/// Writes the checksum of the whole file into its header ("PE Format", Optional Header, CheckSum).
Result<void> write_pe_checksum(const fs::path& file);

/// The same in memory; a program that is none stays as it is.
void set_pe_checksum(std::string& program);

/// The manifest of an application (Application Manifests, Microsoft): who it runs as, that it draws sharply
/// on every screen, takes long paths and UTF-8, and knows the present systems. `level` is "asInvoker",
/// "highestAvailable" or "requireAdministrator"; `processor` is as manifests name it.
std::string application_manifest(const std::string& name, const std::array<std::uint16_t, 4>& version,
                                 const std::string& description, const std::string& level,
                                 const std::string& processor);

/// The numbers of a version text: up to four, each below 65536, with dots; what follows a `-` or `+` is left
/// out. Nothing where it is no such text.
std::optional<std::array<std::uint16_t, 4>> version_numbers(const std::string& text);

/// A Windows language identifier for a language as "de-DE"; 0 where it is not known.
std::uint16_t language_identifier(const std::string& name);
/// The languages that are known.
std::vector<std::string> known_languages();

} // namespace omnistasis::dress
