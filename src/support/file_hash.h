#pragma once

#include "support/hash.h"
#include "support/store.h"

#include <optional>

namespace omnistasis {

/// The SHA-256 of a file's content. It is read once, and kept in the store for as long as the file's times,
/// size and number are the same. Nothing where it can't be read.
std::optional<Sha256> file_hash(const std::string& file, Store& store);

} // namespace omnistasis
