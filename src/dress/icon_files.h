#pragma once

#include "drawing/drawing.h"
#include "support/error.h"
#include "support/files.h"

#include <string>
#include <vector>

namespace omnistasis::dress {

/// The edges, in pixels, of the icons that each platform asks for.
extern const std::vector<int> windows_icon_edges; ///< of an ICO: from lists to large tiles
extern const std::vector<int> macos_icon_edges; ///< of an ICNS: 16 to 512 points, plain and at double density
extern const std::vector<int> linux_icon_edges; ///< folders of the hicolor theme (Icon Theme Specification)

/// A picture as PNG (ISO/IEC 15948).
std::string png_bytes(const Picture& picture);

/// Decodes a PNG; empty (no width) where it is none or damaged.
Picture picture_of_png(ByteSpan bytes);

/// A picture as the body of an icon in an ICO file or PE resource: below 256 pixels a device-independent
/// bitmap of 32 bits with a mask, else PNG.
std::string icon_image(const Picture& picture);

/// An ICO file with these pictures.
std::string ico_bytes(const std::vector<Picture>& pictures);

/// An ICNS file with these pictures; those of no size that it knows are left out.
std::string icns_bytes(const std::vector<Picture>& pictures);

/// The pictures in an ICO or ICNS file, each as a file of its own: a PNG, or an ICO or ICNS with nothing else
/// in it. Empty for other files.
std::vector<std::string> parts_of_ico(ByteSpan bytes);
std::vector<std::string> parts_of_icns(ByteSpan bytes);

} // namespace omnistasis::dress
