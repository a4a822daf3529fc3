#include "native/opened_names.h"

#include "native/constant_parts.h"

#include <algorithm>
#include <string_view>

namespace omnistasis::native {

namespace {

bool is_name_byte(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
           std::string_view("._-+").find(c) != std::string_view::npos;
}

std::vector<std::string> sorted_once(std::vector<std::string> names) {
    std::ranges::sort(names);
    names.erase(std::unique(names.begin(), names.end()), names.end());
    return names;
}

} // namespace

std::vector<std::string> opened_names(ByteSpan file) {
    std::string_view text = as_text(file);
    std::vector<std::string> names;
    using namespace std::string_view_literals;
    if (text.find("\0dlopen\0"sv) == std::string_view::npos) return names;
    constexpr std::string_view middle = ".so.";
    for (std::size_t at = text.find(middle); at != std::string_view::npos; at = text.find(middle, at + 1)) {
        std::size_t start = at, end = at + middle.size();
        while (start > 0 && at - start < 100 && is_name_byte(text[start - 1])) --start;
        while (end < text.size() && end - at < 30 &&
               ((text[end] >= '0' && text[end] <= '9') || text[end] == '.'))
            ++end;
        bool whole = end < text.size() && text[end] == '\0' && (start == 0 || text[start - 1] == '\0');
        if (whole && text.substr(start).starts_with("lib") && text[end - 1] != '.')
            names.emplace_back(text.substr(start, end - start));
    }
    return sorted_once(std::move(names));
}

std::vector<std::string> opened_names_elsewhere(ByteSpan file) {
    constexpr std::size_t longest = 100;
    std::vector<std::string> names;
    for (std::string_view ending : {".dll", ".DLL", ".dylib"})
        for (std::size_t width : {1u, 2u}) {
            std::string wanted;
            for (char c : ending) (wanted += c).append(width - 1, '\0');
            wanted.append(width, '\0');
            for (ByteSpan part : constant_parts(file)) {
                std::string_view text = as_text(part);
                for (std::size_t at = text.find(wanted); at != std::string_view::npos;
                     at = text.find(wanted, at + wanted.size())) {
                    std::string name;
                    std::size_t start = at;
                    while (start >= width && name.size() < longest && is_name_byte(text[start - width]) &&
                           (width == 1 || text[start - 1] == '\0'))
                        name += text[start -= width];
                    std::ranges::reverse(name);
                    bool is_whole = start < width || text[start - width] == '\0';
                    if (is_whole && !name.empty()) names.push_back(name + std::string(ending));
                }
            }
        }
    return sorted_once(std::move(names));
}

} // namespace omnistasis::native
