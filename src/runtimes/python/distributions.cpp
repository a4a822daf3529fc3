#include "runtimes/python/distributions.h"

#include "support/files.h"

#include <algorithm>
#include <cctype>
#include <set>

namespace omnistasis::python {

namespace {

std::string_view trimmed(std::string_view text) {
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.front()))) text.remove_prefix(1);
    while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.remove_suffix(1);
    return text;
}

template <typename Take> void each_line(std::string_view text, Take take) {
    while (!text.empty()) {
        std::size_t end = std::min(text.find('\n'), text.size());
        take(trimmed(text.substr(0, end)));
        text.remove_prefix(std::min(end + 1, text.size()));
    }
}

void read_entry_points(std::string_view text, Distribution& distribution) {
    std::string group;
    each_line(text, [&](std::string_view line) {
        if (line.empty() || line.front() == '#') return;
        if (line.front() == '[' && line.back() == ']') {
            group = line.substr(1, line.size() - 2);
        } else if (std::size_t equal = line.find('='); equal != std::string_view::npos) {
            std::string_view value = trimmed(line.substr(equal + 1));
            value = trimmed(value.substr(0, value.find('[')));
            distribution.entry_points[group][std::string(trimmed(line.substr(0, equal)))] = value;
        }
    });
}

} // namespace

std::string normalized_distribution_name(std::string_view name) {
    std::string normal;
    for (char c : name) {
        bool separator = c == '-' || c == '_' || c == '.';
        if (separator && !normal.empty() && normal.back() == '-') continue;
        normal += separator ? '-' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    }
    return normal;
}

std::set<std::string> required_distributions(const Distribution& distribution) {
    std::set<std::string> required;
    auto add = [&](std::string_view requirement) {
        requirement = trimmed(requirement);
        requirement = requirement.substr(0, requirement.find_first_of(" <>=!~;[("));
        if (!requirement.empty()) required.insert(normalized_distribution_name(requirement));
    };
    std::string file = distribution.is_file ? distribution.folder : distribution.folder + "/METADATA";
    if (auto text = read_text(file))
        each_line(*text, [&](std::string_view line) {
            constexpr std::string_view field = "Requires-Dist:";
            if (line.starts_with(field)) add(line.substr(field.size()));
        });
    if (auto text = read_text(distribution.folder + "/requires.txt"))
        each_line(*text, [&](std::string_view line) {
            if (!line.starts_with('[')) add(line);
        });
    return required;
}

std::set<std::string> top_level_modules(const Distribution& distribution) {
    std::set<std::string> modules;
    if (auto text = read_text(distribution.folder + "/top_level.txt")) {
        each_line(*text, [&](std::string_view line) {
            if (!line.empty()) modules.emplace(line);
        });
    } else if (auto record = read_text(distribution.folder + "/RECORD")) {
        // Paths, each with a hash and a size behind it.
        each_line(*record, [&](std::string_view line) {
            std::string_view top = line.substr(0, line.find_first_of("/,"));
            if (std::size_t dot = top.find('.'); dot != std::string_view::npos && dot > 0)
                top = top.substr(0, dot);
            if (!top.empty() && top != "..") modules.emplace(top);
        });
    }
    if (modules.empty()) {
        std::string name = distribution.name;
        std::ranges::replace(name, '-', '_');
        modules.insert(name);
    }
    return modules;
}

std::vector<Distribution> find_distributions(const std::vector<std::string>& search_path) {
    std::vector<Distribution> found;
    std::set<std::string> seen;
    for (const std::string& root : search_path)
        for (const FolderEntry& entry : list_folder(root)) {
            std::string stem;
            for (const char* ending : {".dist-info", ".egg-info"})
                if (entry.name.ends_with(ending))
                    stem = entry.name.substr(0, entry.name.size() - std::string_view(ending).size());
            if (stem.empty()) continue;
            Distribution distribution;
            distribution.name = normalized_distribution_name(stem.substr(0, stem.find('-')));
            if (std::size_t dash = stem.find('-'); dash != std::string::npos)
                distribution.version = stem.substr(dash + 1, stem.find('-', dash + 1) - dash - 1);
            distribution.folder = root + "/" + entry.name;
            distribution.is_file = !entry.is_folder;
            if (!seen.insert(distribution.name).second) continue;
            if (auto text = read_text(distribution.folder + "/entry_points.txt"))
                read_entry_points(*text, distribution);
            found.push_back(std::move(distribution));
        }
    return found;
}

} // namespace omnistasis::python
