#include "payload/parts.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <fmt/format.h>

namespace omnistasis::payload {

namespace {

constexpr std::string_view first_line = "parts 1";

/// Tabs and line ends part the fields; a file's name may hold them.
std::string field(std::string text) {
    std::ranges::replace_if(
        text, [](char c) { return c == '\t' || c == '\n'; }, ' ');
    return text;
}

} // namespace

std::string parts_text(std::vector<Part> parts) {
    std::ranges::sort(parts);
    parts.erase(std::unique(parts.begin(), parts.end()), parts.end());
    std::string text(first_line);
    text += '\n';
    for (const Part& part : parts)
        text += fmt::format("{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\n", part.kind, field(part.name),
                            field(part.version), part.size, part.hash, field(part.place), part.inside,
                            field(part.owner), field(part.licence), field(part.url));
    return text;
}

std::optional<std::vector<Part>> parse_parts(std::string_view text) {
    std::vector<Part> parts;
    bool first = true;
    while (!text.empty()) {
        std::size_t end = text.find('\n');
        if (end == std::string_view::npos) return std::nullopt;
        std::string_view line = text.substr(0, end);
        text.remove_prefix(end + 1);
        if (first) {
            if (line != first_line) return std::nullopt;
            first = false;
            continue;
        }
        std::array<std::string_view, 10> fields;
        for (std::size_t i = 0; i < fields.size(); ++i) {
            std::size_t tab = line.find('\t');
            fields[i] = line.substr(0, tab);
            line.remove_prefix(tab == std::string_view::npos ? line.size() : tab + 1);
        }
        Part part{std::string(fields[0]), std::string(fields[1]), std::string(fields[2]), 0,
                  std::string(fields[4])};
        std::from_chars(fields[3].data(), fields[3].data() + fields[3].size(), part.size);
        part.place = fields[5];
        std::from_chars(fields[6].data(), fields[6].data() + fields[6].size(), part.inside);
        part.owner = fields[7];
        part.licence = fields[8];
        part.url = fields[9];
        parts.push_back(std::move(part));
    }
    if (first) return std::nullopt;
    return parts;
}

} // namespace omnistasis::payload
