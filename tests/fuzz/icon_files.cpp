// Pictures in PNG, JPEG, ICO and ICNS files.
#include "dress/icon_files.h"

#include "support/files.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::ByteSpan bytes(data, size);
    omnistasis::dress::parts_of_ico(bytes);
    omnistasis::dress::parts_of_icns(bytes);
    omnistasis::dress::picture_of_png(bytes);
    return 0;
}
