#include "runtimes/python/distributions.h"

#include "support/files.h"
#include "support/text.h"

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <set>

namespace omnistasis::python {

namespace {

template <typename Take> void each_trimmed_line(std::string_view text, Take take) {
    each_line(text, [&](std::string_view line) { take(trimmed(line)); });
}

void read_entry_points(std::string_view text, Distribution& distribution) {
    std::string group;
    each_trimmed_line(text, [&](std::string_view line) {
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
    for (const Requirement& one : requirements_of(distribution)) required.insert(one.name);
    return required;
}

std::vector<Requirement> requirements_of(const Distribution& distribution) {
    std::vector<Requirement> required;
    auto add = [&](std::string_view line, const std::string& condition) {
        auto requirement = read_requirement(line);
        if (!requirement) return;
        if (!condition.empty()) requirement->marker = condition;
        required.push_back(std::move(*requirement));
    };
    std::string file = distribution.is_file ? distribution.folder : distribution.folder + "/METADATA";
    if (auto text = read_text(file)) {
        // The description follows the fields behind an empty line; lines of a folded field have at least a
        // space.
        std::string_view fields = std::string_view(*text).substr(0, text->find("\n\n"));
        each_trimmed_line(fields, [&](std::string_view line) {
            constexpr std::string_view field = "Requires-Dist:";
            if (line.starts_with(field)) add(line.substr(field.size()), "");
        });
    }
    // The older form: below "[extra:marker]".
    std::string condition;
    if (auto text = read_text(distribution.folder + "/requires.txt"))
        each_trimmed_line(*text, [&](std::string_view line) {
            if (!line.starts_with('[')) return add(line, condition);
            std::string_view inside =
                line.substr(1, line.find(']') == line.npos ? line.npos : line.find(']') - 1);
            std::string_view extra = inside.substr(0, inside.find(':'));
            condition = inside.size() > extra.size() ? std::string(inside.substr(extra.size() + 1)) : "";
            if (extra.empty()) return;
            std::string asked = "extra == '" + std::string(extra) + "'";
            condition = condition.empty() ? asked : "(" + condition + ") and " + asked;
        });
    return required;
}

namespace {

/// One field of a line of RECORD (RFC 4180): what is quoted has doubled quotes.
std::string take_field(std::string_view& line) {
    std::string field;
    if (!line.starts_with('"')) {
        std::size_t comma = std::min(line.find(','), line.size());
        field = line.substr(0, comma);
        line.remove_prefix(std::min(comma + 1, line.size()));
        return field;
    }
    line.remove_prefix(1);
    while (!line.empty()) {
        char c = line.front();
        line.remove_prefix(1);
        if (c == '"' && !line.starts_with('"')) break;
        if (c == '"') line.remove_prefix(1);
        field += c;
    }
    if (line.starts_with(',')) line.remove_prefix(1);
    return field;
}

} // namespace

std::vector<RecordLine> record_lines(std::string_view record) {
    std::vector<RecordLine> lines;
    each_trimmed_line(record, [&](std::string_view line) {
        RecordLine one;
        one.path = take_field(line);
        one.hash = take_field(line);
        one.size = std::strtoull(take_field(line).c_str(), nullptr, 10);
        if (!one.path.empty()) lines.push_back(std::move(one));
    });
    return lines;
}

namespace {

/// Calls `take` with path and size of each file in the distribution's list; false where it has none. A size
/// that the list does not tell is 0.
template <typename Take> bool each_listed_file(const Distribution& distribution, Take take) {
    if (distribution.is_file) return false;
    if (auto record = read_text(distribution.folder + "/RECORD")) {
        for (const RecordLine& line : record_lines(*record)) {
            const std::string& path = line.path;
            bool is_plain = path.front() != '.' && path.find("/.") == std::string::npos;
            std::string whole = path.front() == '/' ? path : distribution.root + "/" + path;
            take(is_plain ? std::move(whole) : fs::path(whole).lexically_normal().string(), line.size);
        }
        return true;
    }
    if (auto list = read_text(distribution.folder + "/installed-files.txt")) {
        each_trimmed_line(*list, [&](std::string_view line) {
            if (!line.empty())
                take((fs::path(distribution.folder) / line).lexically_normal().string(), std::uint64_t(0));
        });
        return true;
    }
    return false;
}

void collect_files(const std::string& folder, std::vector<DistributionFile>& files, int depth) {
    if (depth > 40) return;
    for (const FolderEntry& entry : list_folder(folder)) {
        std::string path = folder + "/" + entry.name;
        if (!entry.is_folder)
            files.push_back({path, 0});
        else if (entry.name != "__pycache__" && !entry.is_link)
            collect_files(path, files, depth + 1);
    }
}

} // namespace

std::vector<DistributionFile> files_of(const Distribution& distribution) {
    std::vector<DistributionFile> files;
    bool listed = each_listed_file(distribution, [&](std::string path, std::uint64_t size) {
        files.push_back({std::move(path), size});
    });
    if (!listed)
        for (const std::string& top : top_level_modules(distribution)) {
            std::string path = distribution.root + "/" + top;
            if (is_folder(path)) collect_files(path, files, 0);
            for (const FolderEntry& entry : list_folder(distribution.root))
                if (!entry.is_folder && entry.name.starts_with(top + ".") &&
                    (entry.name.ends_with(".py") || entry.name.ends_with(".so") ||
                     entry.name.ends_with(".pyd")))
                    files.push_back({distribution.root + "/" + entry.name, 0});
        }
    std::erase_if(files, [&](const DistributionFile& file) {
        return file.path.ends_with(".pyc") || file.path.starts_with(distribution.folder + "/");
    });
    std::ranges::sort(files, {}, &DistributionFile::path);
    std::error_code failed;
    for (DistributionFile& file : files)
        if (file.size == 0) {
            std::uint64_t size = fs::file_size(file.path, failed);
            if (!failed) file.size = size;
        }
    return files;
}

FileOwners::FileOwners(const std::vector<Distribution>& distributions) {
    for (const Distribution& distribution : distributions) {
        bool listed = each_listed_file(distribution, [&](std::string path, std::uint64_t) {
            by_file_.try_emplace(std::move(path), &distribution);
        });
        if (listed) continue;
        for (const std::string& top : top_level_modules(distribution)) {
            auto [entry, is_new] = by_top_.try_emplace(distribution.root + "/" + top, &distribution);
            // A name that several share is that of the one of this name.
            if (!is_new && distribution.name == normalized_distribution_name(top))
                entry->second = &distribution;
        }
    }
}

const Distribution* FileOwners::owner_of(const std::string& file) const {
    if (auto known = by_file_.find(file); known != by_file_.end()) return known->second;
    if (by_top_.empty()) return nullptr;
    // A module that is a single file has its name up to the first dot.
    std::size_t slash = file.rfind('/'), dot = file.find('.', slash == std::string::npos ? 0 : slash);
    for (std::string path = file.substr(0, dot); slash != std::string::npos && slash > 0;
         path = file.substr(0, slash), slash = file.rfind('/', slash - 1))
        if (auto known = by_top_.find(path); known != by_top_.end()) return known->second;
    return nullptr;
}

std::set<std::string> top_level_modules(const Distribution& distribution) {
    std::set<std::string> modules;
    if (auto text = read_text(distribution.folder + "/top_level.txt")) {
        each_trimmed_line(*text, [&](std::string_view line) {
            if (!line.empty()) modules.emplace(line);
        });
    } else if (auto record = read_text(distribution.folder + "/RECORD")) {
        // Paths, each with a hash and a size behind it.
        each_trimmed_line(*record, [&](std::string_view line) {
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
            distribution.root = root;
            distribution.is_file = !entry.is_folder;
            distribution.is_requested = entry.is_folder && is_file(distribution.folder + "/REQUESTED");
            if (!seen.insert(distribution.name).second) continue;
            if (auto text = read_text(distribution.folder + "/entry_points.txt"))
                read_entry_points(*text, distribution);
            found.push_back(std::move(distribution));
        }
    return found;
}

} // namespace omnistasis::python
