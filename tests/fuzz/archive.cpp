// Zip files of which some members are taken: the manifest first, as of an archive of classes.
#include "support/archive.h"

#include "in_file.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const std::vector<std::string> wanted{"META-INF/MANIFEST.MF", "a", "port/Tide.class"};
    std::string file = in_file(data, size);
    (void)omnistasis::zip_with_members(file, {});
    (void)omnistasis::zip_with_members(file, wanted);
    return 0;
}
