#pragma once

#include "support/error.h"

#include <filesystem>
#include <string>

namespace omnistasis::dress {

/// What kind of picture an icon file holds.
enum class IconKind { svg, png, jpeg, ico, icns };

struct IconFacts {
    IconKind kind = IconKind::png;
    int width = 0; ///< in pixels; of the largest picture in the file; 0 where it has no fixed size
    int height = 0;
};

/// Recognises a picture by its content, whatever its name, and decodes it far enough to know that it is
/// whole.
Result<IconFacts> read_icon(const std::filesystem::path& file);

/// The file ending of a kind, with its dot.
std::string icon_ending(IconKind kind);

} // namespace omnistasis::dress
