#pragma once

#include "support/store.h"

#include <functional>
#include <string>
#include <vector>

namespace omnistasis {

/// Words that a search of a file's content gives. They are searched for once, and kept in the store for as
/// long as the file's times, size and number are the same; `kind` names the search, and changes with it.
/// Nothing where the file can't be read.
std::vector<std::string> kept_words(const std::string& file, const std::string& kind, Store& store,
                                    const std::function<std::vector<std::string>(ByteSpan content)>& search);

} // namespace omnistasis
