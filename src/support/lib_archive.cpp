#include "support/lib_archive.h"

#include "support/late_library.h"

namespace omnistasis {

Result<const LibArchive*> LibArchive::load() {
    static LibArchive library;
    static const std::string why = [] {
        LateLibrary late(OMNISTASIS_LIBARCHIVE);
#define OMNISTASIS_ARCHIVE_FIND(name) late.find(library.name, "archive_" #name);
        OMNISTASIS_ARCHIVE_FUNCTIONS(OMNISTASIS_ARCHIVE_FIND)
#undef OMNISTASIS_ARCHIVE_FIND
        return late.why();
    }();
    if (!why.empty())
        return fail(ErrorKind::missing, "can't read or write archives", OMNISTASIS_LIBARCHIVE, why,
                    "install the package libarchive13");
    return &library;
}

} // namespace omnistasis
