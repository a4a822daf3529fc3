#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::payload {

/// One thing that went into an output, as its list of parts names it (docs/payload-format.md, "The list of
/// parts"): what a later reader of the output wants to know and the files do not say.
struct Part {
    std::string kind; ///< `runtime`, `package`, `system`, `module`, `extension`, `library`, `program`, `data`
    std::string name;
    std::string version;      ///< runtime, package
    std::uint64_t size = 0;   ///< of its file, before anything was done to it; in bytes
    std::string hash;         ///< the first 16 hexadecimal digits of the file's SHA-256
    std::string place{};      ///< of the tree's file that holds it; empty where none does
    std::uint64_t inside = 0; ///< how many bytes of that file are its own, before compression
    std::string owner{};      ///< the package or runtime that it is of; empty: the application's own
    std::string licence{};    ///< runtime, package: an SPDX expression; empty where nothing says it
    std::string url{};        ///< runtime, package: a package URL (purl)
    auto operator<=>(const Part&) const = default;
};

/// The list as it is stored; sorted by kind and name.
std::string parts_text(std::vector<Part> parts);

/// Reads it; nothing where it is no such list. Kinds that are not known are kept.
std::optional<std::vector<Part>> parse_parts(std::string_view text);

} // namespace omnistasis::payload
