#include "support/lib_archive.h"

#include "support/late_library.h"

namespace omnistasis {

Result<const LibArchive*> LibArchive::load() {
    return loaded_once<LibArchive>(OMNISTASIS_LIBARCHIVE, "can't read or write archives", "libarchive13",
                                   [](LateLibrary& late, LibArchive& library) {
#define OMNISTASIS_ARCHIVE_FIND(name) late.find(library.name, "archive_" #name);
                                       OMNISTASIS_ARCHIVE_FUNCTIONS(OMNISTASIS_ARCHIVE_FIND)
#undef OMNISTASIS_ARCHIVE_FIND
                                   });
}

} // namespace omnistasis
