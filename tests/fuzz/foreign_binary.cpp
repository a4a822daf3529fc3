#include "native/mach_o_reader.h"
#include "native/opened_names.h"
#include "native/pe_reader.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::ByteSpan bytes(data, size);
    (void)omnistasis::native::read_pe(bytes, "fuzz");
    (void)omnistasis::native::read_mach_o(bytes, "fuzz");
    (void)omnistasis::native::opened_names(bytes);
    return 0;
}
