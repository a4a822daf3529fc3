// Folders that lead to another: the mount points of NTFS (FSCTL_SET_REPARSE_POINT, "Reparse Points").
#pragma once

#include <windows.h>

namespace omnistasis::launcher {

/// Makes the folder `path`, which leads to the folder `target`; both absolute, with `\\?\` in front. False,
/// with the system's error and nothing left, where the disk has no such folders or it can't be written.
bool make_junction(const wchar_t* path, const wchar_t* target);

bool is_junction(const wchar_t* path);

/// Whether `path` is such a folder and leads to `target`.
bool leads_to(const wchar_t* path, const wchar_t* target);

} // namespace omnistasis::launcher
