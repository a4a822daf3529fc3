#include "runtimes/python/requirements_file.h"

#include "support/files.h"
#include "support/text.h"

#include <set>
#include <string_view>

namespace omnistasis::python {

namespace {

constexpr std::string_view blanks = " \t\r\f\v";

/// The lines of a file, those that end with a backslash joined with the next.
std::vector<std::string> joined_lines(std::string_view text) {
    std::vector<std::string> lines;
    bool goes_on = false;
    each_line(text, [&](std::string_view line) {
        if (line.ends_with('\r')) line.remove_suffix(1);
        bool ends_open = line.ends_with('\\');
        if (ends_open) line.remove_suffix(1);
        if (goes_on)
            lines.back() += line;
        else
            lines.emplace_back(line);
        goes_on = ends_open;
    });
    return lines;
}

/// Without a comment: a `#` at the start or behind a blank.
std::string_view without_comment(std::string_view line) {
    for (std::size_t at = line.find('#'); at != std::string_view::npos; at = line.find('#', at + 1))
        if (at == 0 || blanks.find(line[at - 1]) != std::string_view::npos) return line.substr(0, at);
    return line;
}

/// The file that a line refers to; empty for other lines.
std::string_view other_file(std::string_view line) {
    for (std::string_view option : {"--requirement", "-r"}) {
        if (!line.starts_with(option)) continue;
        line.remove_prefix(option.size());
        if (line.starts_with('=')) line.remove_prefix(1);
        return trimmed(line);
    }
    return {};
}

void read_into(const fs::path& file, std::set<std::string>& seen, std::vector<std::string>& listed) {
    if (!is_file(file) || !seen.insert(file.lexically_normal().string()).second) return;
    auto text = read_text(file);
    if (!text) return;
    for (const std::string& whole : joined_lines(*text)) {
        std::string_view line = trimmed(without_comment(whole));
        if (std::string_view other = other_file(line); !other.empty())
            read_into(file.parent_path() / other, seen, listed);
        if (line.empty() || line.starts_with('-')) continue;
        // Options of one requirement follow it: " --hash=sha256:...".
        listed.emplace_back(trimmed(line.substr(0, line.find(" --"))));
    }
}

} // namespace

std::vector<std::string> listed_requirements(const std::filesystem::path& file) {
    std::set<std::string> seen;
    std::vector<std::string> listed;
    read_into(file, seen, listed);
    return listed;
}

} // namespace omnistasis::python
