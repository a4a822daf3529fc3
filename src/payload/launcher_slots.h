#pragma once

#include "support/error.h"

#include <string>
#include <string_view>

namespace omnistasis::payload {

/// What is written into a launcher's own bytes when an application is built, each in a place that a text in
/// front marks (launcher/payload_format.h). Each fails with an error of the kind fault where the place is
/// missing.
Result<std::string> with_public_key(std::string launcher, const std::string& key);
Result<std::string> with_window_mode(std::string launcher);

/// The public key in a launcher's bytes; empty where there is none.
std::string public_key_of(std::string_view launcher);

} // namespace omnistasis::payload
