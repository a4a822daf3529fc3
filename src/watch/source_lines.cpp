#include "watch/source_lines.h"

#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::watch {

std::string line_that_names(const std::vector<std::string>& files, const std::string& text) {
    if (text.size() < 3) return {};
    for (const std::string& file : files) {
        auto source = MappedFile::open(file);
        if (!source) continue;
        std::string_view all = source->text();
        for (std::size_t at = all.find(text); at != std::string_view::npos; at = all.find(text, at + 1)) {
            std::size_t start = all.rfind('\n', at);
            start = start == std::string_view::npos ? 0 : start + 1;
            std::string_view line = all.substr(start, all.find('\n', at) - start);
            std::size_t inner = at - start;
            std::size_t opening = line.substr(0, inner).find_last_of("\"'");
            std::size_t closing = line.find_first_of("\"'", inner);
            bool quoted = opening != std::string_view::npos && closing != std::string_view::npos;
            // A sentence that mentions it is no name of a file.
            bool is_name =
                quoted && (text.find(' ') != std::string::npos ||
                           line.substr(opening, closing - opening).find(' ') == std::string_view::npos);
            if (is_name)
                return fmt::format(
                    "{}:{}", file,
                    std::count(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(at), '\n') + 1);
        }
    }
    return {};
}

} // namespace omnistasis::watch
