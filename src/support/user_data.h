#pragma once

#include <filesystem>
#include <string>

namespace omnistasis {

/// A folder of what users have brought for Omnistasis: `$XDG_DATA_HOME/omnistasis/NAME`, else below
/// `~/.local/share`; the environment's `variable` names another.
std::filesystem::path user_data_folder(const std::string& name, const char* variable);

} // namespace omnistasis
