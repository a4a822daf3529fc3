#pragma once

#include "support/error.h"

#include <zip.h>

namespace omnistasis {

/// libzip's functions that are used here, each without `zip_` in front of its name.
#define OMNISTASIS_ZIP_FUNCTIONS(each)                                                                       \
    each(open) each(close) each(discard) each(strerror) each(stat_init) each(source_function)                \
        each(source_free) each(file_add) each(dir_add) each(set_file_compression)                            \
            each(file_set_external_attributes) each(file_set_dostime)

/// libzip, which can put members into an archive that are compressed already. It is loaded when it is first
/// needed.
struct LibZip {
    /// An error where it is not installed.
    static Result<const LibZip*> load();

#define OMNISTASIS_ZIP_MEMBER(name) decltype(&::zip_##name) name = nullptr;
    OMNISTASIS_ZIP_FUNCTIONS(OMNISTASIS_ZIP_MEMBER)
#undef OMNISTASIS_ZIP_MEMBER
};

} // namespace omnistasis
