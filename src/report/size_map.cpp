#include "report/size_map.h"

#include "drawing/drawing.h"
#include "report/figure_parts.h"
#include "support/files.h"
#include "support/size_text.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>

namespace omnistasis::report {

namespace {

constexpr double width = 1150, height = 660, left = 24, top = 84;
constexpr double smallest_area = 60; ///< square units; what is smaller is put together

struct Box {
    double x = 0, y = 0, w = 0, h = 0;
};

struct Leaf {
    std::string name;
    std::uint64_t raw = 0, stored = 0;
    std::size_t count = 1;
};

struct Group {
    std::string name;
    std::string kind;
    std::uint64_t raw = 0, stored = 0;
    std::vector<Leaf> leaves;
};

/// Lays rectangles out in rows along the shorter side, each row as square as it gets. `areas` are sorted,
/// largest first, and fill the box.
std::vector<Box> squarified(const std::vector<double>& areas, Box box) {
    std::vector<Box> out;
    std::size_t first = 0;
    while (first < areas.size()) {
        double side = std::min(box.w, box.h);
        auto worst = [&](std::size_t last, double sum) {
            double thick = sum / side, bad = 0;
            for (std::size_t i = first; i < last; ++i) {
                double length = areas[i] / thick;
                bad = std::max(bad, std::max(length / thick, thick / length));
            }
            return bad;
        };
        std::size_t last = first + 1;
        double sum = areas[first];
        while (last < areas.size() && worst(last + 1, sum + areas[last]) <= worst(last, sum))
            sum += areas[last++];
        double thick = side > 0 ? sum / side : 0, along = 0;
        for (std::size_t i = first; i < last; ++i) {
            double length = thick > 0 ? areas[i] / thick : 0;
            out.push_back(box.w >= box.h ? Box{box.x, box.y + along, thick, length}
                                         : Box{box.x + along, box.y, length, thick});
            along += length;
        }
        if (box.w >= box.h) {
            box.x += thick;
            box.w = std::max(0.0, box.w - thick);
        } else {
            box.y += thick;
            box.h = std::max(0.0, box.h - thick);
        }
        first = last;
    }
    return out;
}

struct Look {
    const char* fill;
    const char* text;
    const char* kind;
    const char* meaning;
};

// Okabe and Ito's colours: they remain apart for people who see fewer of them.
constexpr std::array<Look, 5> looks{
    {{"#56b4e9", "#0b2536", "own", "the application's own"},
     {"#009e73", "#ffffff", "runtime", "the runtime"},
     {"#e69f00", "#2b1e00", "package", "packages"},
     {"#cc79a7", "#2b0f1f", "system", "libraries of the build machine's system"},
     {"#999999", "#111111", "launcher", "launcher and index"}}};

const Look& look_of(const std::string& kind) {
    auto found = std::ranges::find_if(looks, [&](const Look& look) { return kind == look.kind; });
    return found == looks.end() ? looks[2] : *found;
}

std::vector<Group> groups_of(const Facts& facts, bool by_raw) {
    std::map<std::string, Group> groups;
    std::map<std::string, std::string> kinds;
    for (const ComponentFacts& one : facts.components) kinds.emplace(one.name, one.kind);
    for (const Piece& piece : facts.pieces) {
        Group& group = groups[piece.owner];
        if (group.name.empty()) {
            group.name = piece.owner.empty() ? (facts.title.empty() ? facts.name : facts.title) : piece.owner;
            group.kind = piece.owner.empty() ? "own" : kinds[piece.owner];
        }
        group.raw += piece.raw;
        group.stored += by_raw ? piece.raw : piece.stored;
        // Of a path its end tells the most.
        std::string name = base_name(piece.name);
        group.leaves.push_back(
            {name.empty() ? piece.name : name, piece.raw, by_raw ? piece.raw : piece.stored, 1});
    }
    std::vector<Group> sorted;
    for (auto& [name, group] : groups)
        if (group.stored > 0) sorted.push_back(std::move(group));
    std::ranges::stable_sort(sorted, std::greater<>(), &Group::stored);
    for (Group& group : sorted) std::ranges::stable_sort(group.leaves, std::greater<>(), &Leaf::stored);
    return sorted;
}

/// Puts the smallest together until each is large enough to be seen.
void merge_small(Group& group, double bytes_to_area) {
    Leaf rest{"", 0, 0, 0};
    while (!group.leaves.empty() &&
           (static_cast<double>(group.leaves.back().stored) * bytes_to_area < smallest_area ||
            (rest.count > 0 && static_cast<double>(rest.stored) * bytes_to_area < smallest_area))) {
        rest.raw += group.leaves.back().raw;
        rest.stored += group.leaves.back().stored;
        rest.count += group.leaves.back().count;
        group.leaves.pop_back();
    }
    if (rest.count == 0) return;
    rest.name = fmt::format("{} smaller", rest.count);
    group.leaves.push_back(rest);
    std::ranges::stable_sort(group.leaves, std::greater<>(), &Leaf::stored);
}

/// Text where it fits; two lines where there is room.
std::string label(const Box& box, const std::string& first, const std::string& second, const char* colour,
                  bool bold) {
    constexpr double letter = 7.6, line = 15;
    auto room = static_cast<std::size_t>(std::max(0.0, (box.w - 8) / letter));
    if (box.h < line + 2 || room < 4) return {};
    std::string text =
        fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" style=\"fill:{}{}\">{}</text>", box.x + 4, box.y + 13,
                    colour, bold ? ";font-weight:bold" : "", xml_text(shortened(first, room)));
    if (!second.empty() && box.h >= 2 * line + 2 && letters_in(second) <= room)
        text += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" style=\"fill:{}\">{}</text>", box.x + 4,
                            box.y + 13 + line, colour, xml_text(second));
    return text;
}

} // namespace

std::string size_map(const Facts& facts) {
    bool by_raw = facts.output.empty();
    std::vector<Group> groups = groups_of(facts, by_raw);
    std::uint64_t total = 0;
    for (const Group& group : groups) total += group.stored;
    std::string content;
    std::vector<LegendEntry> entries;
    std::vector<double> areas;
    double scale = total == 0 ? 0 : width * height / static_cast<double>(total);
    for (const Group& group : groups) areas.push_back(static_cast<double>(group.stored) * scale);
    for (const Look& look : looks) {
        std::uint64_t sum = 0;
        for (const Group& group : groups)
            if (&look_of(group.kind) == &look) sum += group.stored;
        if (sum > 0)
            entries.push_back({look.fill, "#444444", fmt::format("{}: {}", look.meaning, size_text(sum))});
    }
    std::vector<Box> boxes = squarified(areas, {left, top, width, height});
    for (std::size_t i = 0; i < groups.size(); ++i) {
        Group& group = groups[i];
        const Look& look = look_of(group.kind);
        merge_small(group, scale);
        std::vector<double> inner;
        for (const Leaf& leaf : group.leaves) inner.push_back(static_cast<double>(leaf.stored) * scale);
        std::vector<Box> leaves = squarified(inner, boxes[i]);
        auto sizes = [&](std::uint64_t raw, std::uint64_t stored) {
            return by_raw || raw == stored
                       ? size_text(stored)
                       : fmt::format("{}, {} before compression", size_text(stored), size_text(raw));
        };
        content +=
            fmt::format("<g><title>{}: {}</title>\n", xml_text(group.name), sizes(group.raw, group.stored));
        std::string texts;
        bool titled = boxes[i].h > 36 && boxes[i].w > 60 && group.leaves.size() > 1;
        for (std::size_t k = 0; k < leaves.size(); ++k) {
            const Leaf& leaf = group.leaves[k];
            const Box& box = leaves[k];
            content +=
                fmt::format("<rect x=\"{:.2f}\" y=\"{:.2f}\" width=\"{:.2f}\" height=\"{:.2f}\" fill=\"{}\" "
                            "stroke=\"#ffffff\" stroke-width=\"0.6\" data-bytes=\"{}\"><title>{} ({}): "
                            "{}</title></rect>\n",
                            box.x, box.y, box.w, box.h, look.fill, leaf.stored, xml_text(leaf.name),
                            xml_text(group.name), sizes(leaf.raw, leaf.stored));
            // The group's own name stands in its corner.
            bool under_title = titled && box.y < boxes[i].y + 34 && box.x < boxes[i].x + 8.0 * 12 + 90;
            if (!under_title)
                texts += label(box, leaf.name == group.name ? size_text(leaf.stored) : leaf.name,
                               leaf.name == group.name ? "" : size_text(leaf.stored), look.text, false);
        }
        content +=
            fmt::format("<rect x=\"{:.2f}\" y=\"{:.2f}\" width=\"{:.2f}\" height=\"{:.2f}\" fill=\"none\" "
                        "stroke=\"#222222\" stroke-width=\"1.5\"/>\n",
                        boxes[i].x, boxes[i].y, boxes[i].w, boxes[i].h);
        if (titled || group.leaves.size() == 1) {
            if (group.leaves.size() == 1) texts.clear();
            texts += label(boxes[i], group.name, size_text(group.stored), look.text, true);
        }
        content += texts + "</g>\n";
    }
    auto [legend_text, end] = legend(entries, left, 46);
    std::string title =
        fmt::format("{}: {}{}", facts.title.empty() ? facts.name : facts.title, size_text(total),
                    by_raw ? " before compression (not built yet)"
                           : fmt::format(" ({} before compression)", size_text(facts.tree_size)));
    return svg_document(std::max(width + 2 * left, end + left), top + height + 24, title,
                        legend_text + content);
}

} // namespace omnistasis::report
