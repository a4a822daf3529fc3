// Pictures in PNG, JPEG, ICO and ICNS files.
#include "dress/icon_files.h"

#include "dress/icon.h"
#include "in_file.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::ByteSpan bytes(data, size);
    omnistasis::dress::pictures_of_ico(bytes);
    omnistasis::dress::pictures_of_icns(bytes);
    omnistasis::dress::picture_of_png(bytes);
    // Drawings are for a library, and take a process each.
    std::string file = in_file(data, size);
    auto kind = omnistasis::dress::icon_kind(file);
    if (kind && *kind != omnistasis::dress::IconKind::svg) (void)omnistasis::dress::read_icon(file);
    return 0;
}
