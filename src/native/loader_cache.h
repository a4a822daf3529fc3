#pragma once

#include "support/files.h"

#include <map>
#include <optional>
#include <string>
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

    /// The library name that stands for a bare name, as linkers take it: `z` for `libz.so.1`; empty where
    /// none does.
    std::string full_name(const std::string& bare) const;

  private:
    std::map<std::string, std::vector<std::string>> paths_;
};

} // namespace omnistasis::native
