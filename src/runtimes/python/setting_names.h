#pragma once

#include "runtimes/python/scanner.h"

#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::python {

/// Whether a file is one of settings by its name: YAML, JSON, TOML, INI, or variables of an environment.
bool is_settings_file(std::string_view name);

/// The dotted names in a text of settings ("shop.models.Large", "polls.apps:Config"), with their lines; each
/// once. Numbers, host names in addresses and names of files do not count.
std::vector<StringAt> names_in_settings(std::string_view text);

} // namespace omnistasis::python
