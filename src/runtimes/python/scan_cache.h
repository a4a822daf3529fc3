#pragma once

#include "runtimes/python/scanner.h"
#include "support/store.h"

#include <memory>
#include <optional>
#include <string>

namespace omnistasis::python {

/// Scan results by file and its state on disk: a file that did not change is not even opened.
class ScanCache {
  public:
    /// `settings` is all that a result depends on besides the file: our own program and the scan's facts.
    ScanCache(std::string settings, std::shared_ptr<Store> store);

    /// What a scan of `file` gives, out of the store or by scanning. Nothing where it can't be read.
    std::optional<ScanResult> scan_file(const std::string& file, const std::string& own_name,
                                        const std::string& package, const ScanFacts& facts);

  private:
    std::string settings_; ///< a digest
    std::shared_ptr<Store> store_;
};

/// A result as bytes, and back; nothing where the bytes are not such a result.
std::string stored_form(const ScanResult& result);
std::optional<ScanResult> from_stored_form(std::string_view bytes);

} // namespace omnistasis::python
