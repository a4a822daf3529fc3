#include "support/lib_zip.h"

#include "support/late_library.h"

namespace omnistasis {

Result<const LibZip*> LibZip::load() {
    static LibZip library;
    static const std::string why = [] {
        LateLibrary late(OMNISTASIS_LIBZIP);
#define OMNISTASIS_ZIP_FIND(name) late.find(library.name, "zip_" #name);
        OMNISTASIS_ZIP_FUNCTIONS(OMNISTASIS_ZIP_FIND)
#undef OMNISTASIS_ZIP_FIND
        return late.why();
    }();
    if (!why.empty())
        return fail(ErrorKind::missing, "can't write a zip file", OMNISTASIS_LIBZIP, why,
                    "install the package libzip4");
    return &library;
}

} // namespace omnistasis
