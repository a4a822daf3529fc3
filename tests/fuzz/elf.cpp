#include "native/compiled_paths.h"
#include "native/elf_reader.h"
#include "native/elf_rewriter.h"
#include "native/elf_stripper.h"
#include "native/loader_cache.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::ByteSpan bytes(data, size);
    (void)omnistasis::native::read_elf(bytes, "fuzz");
    (void)omnistasis::native::without_debug_symbols(bytes, "fuzz");
    (void)omnistasis::native::with_search_path(bytes, "$ORIGIN/../lib", "fuzz");
    (void)omnistasis::native::with_search_path(bytes, "$ORIGIN/../lib", "fuzz", "fixed-places.so");
    (void)omnistasis::native::compiled_paths(bytes, {"harbour", "quay-2"});
    (void)omnistasis::native::LoaderCache::parse(bytes);
    return 0;
}
