#include "support/lib_zip.h"

#include "support/late_library.h"

namespace omnistasis {

Result<const LibZip*> LibZip::load() {
    return loaded_once<LibZip>(OMNISTASIS_LIBZIP, "can't write a zip file", "libzip4",
                               [](LateLibrary& late, LibZip& library) {
#define OMNISTASIS_ZIP_FIND(name) late.find(library.name, "zip_" #name);
                                   OMNISTASIS_ZIP_FUNCTIONS(OMNISTASIS_ZIP_FIND)
#undef OMNISTASIS_ZIP_FIND
                               });
}

} // namespace omnistasis
