#include "native/constant_parts.h"
#include "native/loaded_image.h"
#include "native/mach_o_reader.h"
#include "native/opened_names.h"
#include "native/pe_reader.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::ByteSpan bytes(data, size);
    (void)omnistasis::native::read_pe(bytes, "fuzz");
    (void)omnistasis::native::read_mach_o(bytes, "fuzz");
    (void)omnistasis::native::opened_names(bytes);
    (void)omnistasis::native::constant_parts(bytes);
    if (auto image = omnistasis::native::LoadedImage::of(bytes))
        if (auto table = image->symbol("PyImport_Inittab")) (void)image->text_at(image->pointer_at(*table));
    return 0;
}
