#pragma once

#include "support/files.h"

#include <set>
#include <string>
#include <vector>

namespace omnistasis::native {

/// The absolute paths below /usr/lib, /usr/share and /usr/libexec that a native file holds as texts, also in
/// lists ("/etc/magic:/usr/share/misc/magic"); and the folders of /usr/share that it names, out of
/// `data_folders`, which it looks for in all folders of data. Each once, sorted, without a slash at the end.
/// Folders that all packages share, such as /usr/share/locale, do not count.
std::vector<std::string> compiled_paths(ByteSpan file,
                                        const std::set<std::string, std::less<>>& data_folders = {});

} // namespace omnistasis::native
