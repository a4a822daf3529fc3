// Who may change what is in a folder, as the system's own lists of rights say.
#pragma once

#include <windows.h>

namespace omnistasis::launcher {

/// The user that this process runs as, in the system's text for identifiers; empty where it can't be told.
const wchar_t* user_text();

/// Whether `folder` is the user's own: it belongs to the user, the system or its administrators, and nobody
/// else may write into it, take away what is in it or change its rights.
bool is_users_own(const wchar_t* folder);

/// Null where `folder` is the user's own and nobody else can put another in the place of one of those that
/// lead to it; else the one where that is not so. Under Wine the system beneath keeps users apart, and
/// nothing is asked of those above.
const wchar_t* changed_by_others(const wchar_t* folder);

/// Makes the folder for the user, the system and its administrators alone, with those above it that are
/// missing; true where it was there already.
bool make_own_folder(const wchar_t* folder);

} // namespace omnistasis::launcher
