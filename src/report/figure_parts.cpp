#include "report/figure_parts.h"

#include "drawing/drawing.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::report {

std::size_t letters_in(const std::string& text) {
    return static_cast<std::size_t>(
        std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::string shortened(const std::string& text, std::size_t most) {
    if (letters_in(text) <= most) return text;
    std::string out;
    std::size_t letters = 0;
    for (char c : text) {
        bool begins = (static_cast<unsigned char>(c) & 0xC0) != 0x80;
        if (begins && ++letters >= most) break;
        out += c;
    }
    return out + "\xE2\x80\xA6";
}

std::pair<std::string, double> legend(const std::vector<LegendEntry>& entries, double x, double y) {
    std::string text;
    for (const LegendEntry& entry : entries) {
        text +=
            fmt::format("<rect x=\"{0:.1f}\" y=\"{1:.1f}\" width=\"16\" height=\"16\" rx=\"3\" fill=\"{2}\" "
                        "stroke=\"{3}\"{4}/><text class=\"legend\" x=\"{5:.1f}\" y=\"{6:.1f}\">{7}</text>\n",
                        x, y, entry.fill, entry.line, entry.dashed ? " stroke-dasharray=\"4 3\"" : "", x + 22,
                        y + 12, xml_text(entry.text));
        x += 22 + static_cast<double>(letters_in(entry.text)) * 7.0 + 20;
    }
    return {text, x};
}

std::string svg_document(double width, double height, const std::string& title, const std::string& content) {
    return fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{0:.0f}\" height=\"{1:.0f}\" viewBox=\"0 0 "
        "{0:.0f} "
        "{1:.0f}\" role=\"img\" aria-label=\"{2}\">\n"
        "<style>text {{ font: 12px 'DejaVu Sans', sans-serif; fill: #222222 }} "
        "text.box {{ font: 12px 'DejaVu Sans Mono', monospace; text-anchor: middle }} "
        "text.title {{ font: bold 16px 'DejaVu Sans', sans-serif }} text.legend {{ fill: #333333 }} "
        "text.end {{ text-anchor: end }} text.middle {{ text-anchor: middle }}</style>\n"
        "<defs><marker id=\"arrow\" viewBox=\"0 0 8 8\" refX=\"7\" refY=\"4\" markerWidth=\"7\" "
        "markerHeight=\"7\" "
        "markerUnits=\"userSpaceOnUse\" orient=\"auto\"><path d=\"M0 0 L8 4 L0 8 z\" "
        "fill=\"#777777\"/></marker></defs>\n"
        "<rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n"
        "<text class=\"title\" x=\"24\" y=\"30\">{2}</text>\n{3}</svg>\n",
        width, height, xml_text(title), content);
}

} // namespace omnistasis::report
