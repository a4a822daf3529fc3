#include "report/time_figures.h"

#include "drawing/drawing.h"
#include "report/figure_parts.h"
#include "support/size_text.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace omnistasis::report {

namespace {

constexpr double width = 1110, left = 24, top = 84, row = 20;

/// A step of 1, 2 or 5 times a power of ten, so that some eight fit.
double nice_step(double range) {
    double rough = std::max(range / 8, 1e-9), power = std::pow(10, std::floor(std::log10(rough)));
    for (double factor : {1.0, 2.0, 5.0})
        if (rough <= factor * power) return factor * power;
    return 10 * power;
}

} // namespace

std::string start_figure(const Json& profile, const std::string& title) {
    const auto& bars = profile.at("timeline");
    double end = 0.001;
    int deepest = 0;
    for (const auto& bar : bars) {
        end = std::max(end, bar.at("to").get<double>());
        deepest = std::max(deepest, bar.at("depth").get<int>());
    }
    double scale = width / end;
    std::string content;
    double bottom = top + (deepest + 1) * row;
    double step = nice_step(end);
    for (double at = 0; at <= end; at += step)
        content += fmt::format(
            "<line x1=\"{0:.1f}\" y1=\"{1:.1f}\" x2=\"{0:.1f}\" y2=\"{2:.1f}\" stroke=\"#dddddd\"/>"
            "<text class=\"middle\" x=\"{0:.1f}\" y=\"{3:.1f}\">{4:g} ms</text>\n",
            left + at * scale, top, bottom + 4, bottom + 20, at);
    std::size_t hidden = 0;
    for (const auto& bar : bars) {
        double from = bar.at("from"), to = bar.at("to");
        std::string name = bar.at("name"), kind = bar.at("kind");
        double w = (to - from) * scale;
        if (w < 0.8) {
            ++hidden;
            continue;
        }
        double x = left + from * scale, y = top + bar.at("depth").get<int>() * row;
        const char* fill = kind == "launcher"  ? "#999999"
                           : kind == "unpack"  ? "#d55e00"
                           : kind == "runtime" ? "#009e73"
                           : kind == "own"     ? "#56b4e9"
                           : kind == "run"     ? "#f0e442"
                                               : "#e69f00";
        content +=
            fmt::format("<g><title>{}: {:.2f} ms</title><rect x=\"{:.2f}\" y=\"{:.1f}\" width=\"{:.2f}\" "
                        "height=\"{}\" fill=\"{}\" stroke=\"#ffffff\" stroke-width=\"0.7\"/>",
                        xml_text(name), to - from, x, y, w, row - 1, fill);
        auto room = static_cast<std::size_t>((w - 6) / 7.4);
        if (w > 34)
            content += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\"{}>{}</text>", x + 3, y + 14,
                                   kind == "runtime" ? " style=\"fill:#ffffff\"" : "",
                                   xml_text(shortened(name, std::max<std::size_t>(room, 2))));
        content += "</g>\n";
    }
    if (hidden > 0)
        content += fmt::format("<text x=\"{}\" y=\"{:.1f}\">{} shorter imports are not drawn</text>\n", left,
                               bottom + 40, hidden);
    auto [legend_text, legend_end] = legend({{"#999999", "#444444", "launcher"},
                                             {"#d55e00", "#444444", "unpacking"},
                                             {"#009e73", "#444444", "runtime"},
                                             {"#56b4e9", "#444444", "own modules"},
                                             {"#e69f00", "#444444", "other modules"},
                                             {"#f0e442", "#444444", "the application's own work"}},
                                            left, 46);
    return svg_document(width + 2 * left + 30, bottom + 52, title, legend_text + content);
}

std::string history_figure(const std::vector<HistoryEntry>& history, const std::string& title) {
    constexpr std::size_t most = 30;
    constexpr double height = 220, axis = 80;
    std::vector<HistoryEntry> shown = history;
    if (shown.size() > most) shown.erase(shown.begin(), shown.end() - most);
    std::uint64_t largest = 1;
    for (const HistoryEntry& one : shown) largest = std::max(largest, one.size);
    double step = nice_step(static_cast<double>(largest));
    std::string content;
    double base = top + height;
    for (double at = 0; at <= static_cast<double>(largest); at += step) {
        double y = base - at / static_cast<double>(largest) * height;
        content += fmt::format(
            "<line x1=\"{0}\" y1=\"{1:.1f}\" x2=\"{2}\" y2=\"{1:.1f}\" stroke=\"#dddddd\"/>"
            "<text class=\"end\" x=\"{3}\" y=\"{4:.1f}\">{5}</text>\n",
            left + axis, y, left + width, left + axis - 6, y + 4, size_text(static_cast<std::uint64_t>(at)));
    }
    double slot = (width - axis) / static_cast<double>(std::max<std::size_t>(shown.size(), 6));
    for (std::size_t i = 0; i < shown.size(); ++i) {
        const HistoryEntry& one = shown[i];
        double h = static_cast<double>(one.size) / static_cast<double>(largest) * height;
        double x = left + axis + slot * static_cast<double>(i) + slot * 0.15;
        content += fmt::format(
            "<g><title>{} {}: {} in {} modules, {} libraries, {} data files</title>"
            "<rect x=\"{:.1f}\" y=\"{:.1f}\" width=\"{:.1f}\" height=\"{:.1f}\" fill=\"{}\"/></g>\n",
            xml_text(one.when), xml_text(one.version), size_text(one.size), one.modules, one.libraries,
            one.data_files, x, base - h, slot * 0.7, h, i + 1 == shown.size() ? "#0072b2" : "#56b4e9");
        if (slot > 70 || i + 1 == shown.size() || i == 0)
            content +=
                fmt::format("<text class=\"middle\" x=\"{:.1f}\" y=\"{:.1f}\">{}</text>\n", x + slot * 0.35,
                            base + 18, xml_text(one.version.empty() ? one.when.substr(0, 10) : one.version));
        if (slot > 56 || i + 1 == shown.size())
            content += fmt::format("<text class=\"middle\" x=\"{:.1f}\" y=\"{:.1f}\">{}</text>\n",
                                   x + slot * 0.35, base - h - 5, size_text(one.size));
    }
    auto [legend_text, legend_end] = legend(
        {{"#0072b2", "#004a75", "the present build"}, {"#56b4e9", "#1f6f9f", "earlier ones"}}, left, 46);
    return svg_document(width + 2 * left, base + 40, title, legend_text + content);
}

} // namespace omnistasis::report
