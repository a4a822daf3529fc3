#include "runtimes/python/path_files.h"

#include "support/files.h"
#include "support/text.h"

#include <algorithm>
#include <ranges>
#include <string_view>

namespace omnistasis::python {

std::vector<std::string> folders_of_path_files(const std::string& packages) {
    std::vector<std::string> names;
    for (const FolderEntry& entry : list_folder(packages))
        if (!entry.is_folder && entry.name.ends_with(".pth") && !entry.name.starts_with('.'))
            names.push_back(entry.name);
    std::ranges::sort(names);
    std::vector<std::string> folders;
    for (const std::string& name : names) {
        auto text = read_text(packages + "/" + name);
        if (!text) continue;
        std::string_view rest = *text;
        if (rest.starts_with("\xef\xbb\xbf")) rest.remove_prefix(3);
        each_line(rest, [&](std::string_view whole) {
            std::string line(whole);
            line.erase(line.find_last_not_of(" \t\r\f\v") + 1);
            if (line.empty() || line.starts_with('#') || line.starts_with("import ") ||
                line.starts_with("import\t"))
                return;
            std::ranges::replace(line, '\\', '/'); // a file of Windows
            std::string folder = (fs::path(packages) / line).lexically_normal().string();
            while (folder.size() > 1 && folder.ends_with('/')) folder.pop_back();
            if (is_folder(folder) && folder != packages &&
                std::ranges::find(folders, folder) == folders.end())
                folders.push_back(std::move(folder));
        });
    }
    return folders;
}

} // namespace omnistasis::python
