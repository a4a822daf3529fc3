#include "support/lib_archive.h"

#include <dlfcn.h>

namespace omnistasis {

Result<const LibArchive*> LibArchive::load() {
    static LibArchive library;
    static const std::string why = []() -> std::string {
        void* handle = ::dlopen(OMNISTASIS_LIBARCHIVE, RTLD_NOW | RTLD_LOCAL);
        if (handle == nullptr) return ::dlerror();
#define OMNISTASIS_ARCHIVE_FIND(name)                                                                        \
    library.name = reinterpret_cast<decltype(library.name)>(::dlsym(handle, "archive_" #name));              \
    if (library.name == nullptr) return "it has no function archive_" #name;
        OMNISTASIS_ARCHIVE_FUNCTIONS(OMNISTASIS_ARCHIVE_FIND)
#undef OMNISTASIS_ARCHIVE_FIND
        return {};
    }();
    if (!why.empty())
        return fail(ErrorKind::missing, "can't read or write archives", OMNISTASIS_LIBARCHIVE, why,
                    "install the package libarchive13");
    return &library;
}

} // namespace omnistasis
