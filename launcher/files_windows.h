// Files and folders of the tree.
#pragma once

#include "self_windows.h"

namespace omnistasis::launcher {

void make_folders_above(wchar_t* path);

/// A file of the index below `tree`; null where there is not enough memory.
wchar_t* path_in(const wchar_t* tree, const payload::File& file);

/// Opens a file of the tree to be written, and makes the folders above it. INVALID_HANDLE_VALUE where it
/// can't.
HANDLE open_in_tree(const wchar_t* tree, const payload::File& file);

bool write_at(HANDLE file, const uint8_t* data, size_t size, uint64_t offset);

/// A folder with all in it; links are removed, and not followed.
void remove_all(const wchar_t* path);

} // namespace omnistasis::launcher
