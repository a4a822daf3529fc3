#pragma once

#include "support/files.h"

#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

namespace omnistasis::native {

/// The dynamic loader's cache of library names (/etc/ld.so.cache, the "glibc-ld.so.cache1.1" format).
class LoaderCache {
  public:
    /// Reads a cache; an unreadable or damaged one is an empty one.
    static LoaderCache read(const fs::path& file = "/etc/ld.so.cache");
    static LoaderCache parse(ByteSpan bytes);

    /// The paths for a library name, in the loader's order of preference. Entries for hardware capabilities
    /// are left out: what is shipped must run on any machine of the target.
    const std::vector<std::string>& find(const std::string& name) const;

  private:
    std::unordered_map<std::string, std::vector<std::string>> paths_;
};

} // namespace omnistasis::native
