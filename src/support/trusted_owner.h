#pragma once

#include "support/files.h"

#include <string>

namespace omnistasis {

/// Something that was found by looking around, and that decides which programs are started, has to be the
/// user's own or root's, and so has each link to it; OMNISTASIS_TRUSTED_OWNERS lists the numbers of users
/// that are trusted as well. `what` names it in the error.
Result<void> check_owner(const fs::path& file, const std::string& what);

} // namespace omnistasis
