#include "runtimes/python/facts_cache.h"

#include "support/hash.h"
#include "support/own_program.h"
#include "support/user_cache.h"
#include "support/witness.h"

#include <fmt/format.h>
#include <sys/stat.h>

namespace omnistasis::python {

namespace {

/// Changes whenever a file or folder does.
std::string stamp(const std::string& path) {
    Witness::saw(path);
    return file_stamp(path);
}

} // namespace

FactsCache::FactsCache(const std::string& subject) {
    if (fs::path folder = user_cache_folder("facts"); !folder.empty())
        file_ = folder / hex(sha256(subject)).substr(0, 32);
}

/// The file: a line "stamp path" for each thing that the answer depends on, an empty line, the answer.
std::string FactsCache::find() const {
    if (file_.empty()) return {};
    auto text = read_text(file_);
    if (!text) return {};
    std::string_view rest = *text;
    for (;;) {
        std::size_t end = rest.find('\n');
        if (end == std::string_view::npos) return {};
        std::string_view line = rest.substr(0, end);
        rest.remove_prefix(end + 1);
        if (line.empty()) return std::string(rest);
        std::size_t space = line.find(' ');
        if (space == std::string_view::npos ||
            stamp(std::string(line.substr(space + 1))) != line.substr(0, space))
            return {};
    }
}

void FactsCache::keep(const std::string& answer, const std::vector<std::string>& search_path,
                      const std::vector<std::string>& files) const {
    if (file_.empty()) return;
    std::string text;
    auto depends_on = [&](const std::string& path) {
        if (path.find('\n') == std::string::npos) text += stamp(path) + " " + path + "\n";
    };
    for (const std::string& file : files) depends_on(file);
    for (const std::string& folder : search_path) {
        depends_on(folder);
        for (const FolderEntry& entry : list_folder(folder))
            if (entry.name.ends_with(".pth") || entry.name.starts_with("__editable__"))
                depends_on(folder + "/" + entry.name);
    }
    // A cache that can't be written is no reason to stop.
    (void)write_atomically(file_, text + "\n" + answer, 0600);
}

} // namespace omnistasis::python
