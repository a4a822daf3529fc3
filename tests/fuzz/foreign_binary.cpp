#include "native/constant_parts.h"
#include "native/loaded_image.h"
#include "native/mach_o_loader.h"
#include "native/mach_signature.h"
#include "native/opened_names.h"
#include "native/pe_reader.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace omnistasis;
    ByteSpan bytes(data, size);
    (void)native::read_pe(bytes, "fuzz");
    (void)native::read_mach_o(bytes, "fuzz");
    (void)native::opened_names(bytes);
    (void)native::opened_names_elsewhere(bytes);
    (void)native::constant_parts(bytes);
    (void)native::wrong_with_seal(bytes, {"fuzz", "information", "resources"});
    constexpr std::uint32_t arm64 = 0x0100000C;
    native::MachPlace place{arm64, "lib/quay.so", "bin", {{"libbell.dylib", "lib/libbell.dylib"}}};
    if (auto placed = native::placed_mach_o(bytes, place, "fuzz"); placed && !placed->empty())
        (void)native::wrong_with_seal(as_bytes(*placed), {});
    if (auto image = native::LoadedImage::of(bytes))
        if (auto table = image->symbol("PyImport_Inittab")) (void)image->text_at(image->pointer_at(*table));
    return 0;
}
