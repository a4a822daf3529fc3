#pragma once

#include "runtimes/node/scanner.h"
#include "support/store.h"

#include <memory>
#include <optional>
#include <string>

namespace omnistasis::node {

/// What a scan of `file` gives, out of the store or by scanning; nothing where it can't be read. A file that
/// did not change is not even opened.
std::optional<ScanResult> scan_file(const std::string& file, Store& store);

/// All of a result, in the form in which the store keeps it.
std::string stored_form(const ScanResult& result);

} // namespace omnistasis::node
