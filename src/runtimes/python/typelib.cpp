#include "runtimes/python/typelib.h"

#include "support/byte_view.h"
#include "support/target_info.h"

#include <algorithm>
#include <cstring>

namespace omnistasis::python {

namespace {

constexpr std::string_view magic = "GOBJ\nMETADATA\r\n\x1a";
/// Offsets of the header's fields that hold the offsets of texts.
constexpr std::size_t dependencies_field = 36, shared_library_field = 52, header_size = 112;

std::vector<std::string> typelib_folders() {
    std::vector<std::string> folders = library_folders(host_info());
    folders.emplace_back("/usr/lib");
    for (std::string& folder : folders) folder += "/girepository-1.0";
    return folders;
}

std::vector<std::string> texts_at(ByteSpan bytes, std::size_t field, char separator) {
    std::uint32_t offset = ByteView(bytes).word(field);
    std::vector<std::string> texts;
    if (offset == 0) return texts;
    std::string_view rest = ByteView(bytes).text(offset);
    while (!rest.empty()) {
        std::size_t end = std::min(rest.find(separator), rest.size());
        if (end > 0) texts.emplace_back(rest.substr(0, end));
        rest.remove_prefix(std::min(end + 1, rest.size()));
    }
    return texts;
}

} // namespace

std::optional<Typelib> read_typelib(ByteSpan bytes) {
    if (bytes.size() < header_size || std::memcmp(bytes.data(), magic.data(), magic.size()) != 0)
        return std::nullopt;
    return Typelib{texts_at(bytes, dependencies_field, '|'), texts_at(bytes, shared_library_field, ',')};
}

std::string find_typelib(const std::string& name, const std::vector<std::string>& versions) {
    for (const std::string& folder : typelib_folders()) {
        std::vector<std::string> found;
        for (const FolderEntry& entry : list_folder(folder)) {
            bool fits = entry.name.starts_with(name + "-") && entry.name.ends_with(".typelib");
            if (!fits) continue;
            std::string version = entry.name.substr(name.size() + 1, entry.name.size() - name.size() - 9);
            std::string file = std::string(folder) + "/" + entry.name;
            if (std::ranges::find(versions, version) != versions.end()) return file;
            found.push_back(file);
        }
        if (!found.empty()) return found.back();
    }
    return {};
}

} // namespace omnistasis::python
