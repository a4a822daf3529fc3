#pragma once

#include "support/error.h"

#include <archive.h>
#include <archive_entry.h>

namespace omnistasis {

/// libarchive's functions that are used here, each without `archive_` in front of its name.
#define OMNISTASIS_ARCHIVE_FUNCTIONS(each)                                                                   \
    each(error_string) each(read_new) each(read_free) each(read_support_format_tar)                          \
        each(read_support_format_zip) each(read_support_filter_all) each(read_open_filename)                 \
            each(read_next_header) each(read_data_block) each(write_new) each(write_free)                    \
                each(write_set_format_zip) each(write_set_options) each(write_open) each(write_header)       \
                    each(write_data) each(write_data_block) each(write_finish_entry) each(write_close)       \
                        each(write_disk_new) each(write_disk_set_options) each(entry_new) each(entry_free)   \
                            each(entry_pathname) each(entry_set_pathname) each(entry_filetype)               \
                                each(entry_set_filetype) each(entry_perm) each(entry_set_perm)               \
                                    each(entry_symlink) each(entry_hardlink) each(entry_set_hardlink)        \
                                        each(entry_set_size) each(entry_size)

/// libarchive, which brings eight libraries more: it is loaded when it is first needed. Most commands never
/// see an archive, and would start a quarter slower.
struct LibArchive {
    /// An error where it is not installed.
    static Result<const LibArchive*> load();

#define OMNISTASIS_ARCHIVE_MEMBER(name) decltype(&::archive_##name) name = nullptr;
    OMNISTASIS_ARCHIVE_FUNCTIONS(OMNISTASIS_ARCHIVE_MEMBER)
#undef OMNISTASIS_ARCHIVE_MEMBER
};

} // namespace omnistasis
