#pragma once

#include <filesystem>
#include <string>

namespace omnistasis {

/// A folder of the user's cache that is ours and that nobody else can write: `<cache>/omnistasis/<name>`,
/// where the cache is $XDG_CACHE_HOME or ~/.cache (XDG Base Directory Specification). It is made where it is
/// missing. Empty where there is no such folder, or where it isn't safe: then nothing is kept.
std::filesystem::path user_cache_folder(const std::string& name);

} // namespace omnistasis
