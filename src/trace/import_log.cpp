#include "trace/import_log.h"

#include "support/files.h"
#include "support/text.h"

#include <charconv>

namespace omnistasis::trace {

std::vector<SeenModule> read_import_log(const std::filesystem::path& file) {
    std::vector<SeenModule> seen;
    auto text = read_text(file);
    each_line(text ? std::string_view(*text) : std::string_view(), [&](std::string_view line) {
        std::size_t first = line.find('\t'), last = line.rfind('\t');
        if (first == last) return;
        SeenModule module{std::string(line.substr(0, first)),
                          std::string(line.substr(first + 1, last - first - 1)), 0};
        std::from_chars(line.data() + last + 1, line.data() + line.size(), module.line);
        seen.push_back(std::move(module));
    });
    return seen;
}

} // namespace omnistasis::trace
