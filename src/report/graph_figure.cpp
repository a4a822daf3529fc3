#include "report/graph_figure.h"

#include "report/figure_parts.h"

#include <algorithm>
#include <fmt/format.h>
#include <sstream>

namespace omnistasis::report {

namespace {

using Edges = std::set<std::pair<std::size_t, std::size_t>>;

constexpr double letter_width = 7.3, box_height = 26, units_per_inch = 72, margin = 24, head_height = 84;

/// The edges without those that a longer way says too.
Edges without_implied(const GraphFigure& graph) {
    std::vector<std::vector<std::size_t>> next(graph.boxes.size());
    for (const auto& [from, to] : graph.edges) next[from].push_back(to);
    auto reaches = [&](std::size_t start, std::size_t goal) {
        std::vector<bool> seen(graph.boxes.size());
        std::vector<std::size_t> open;
        for (std::size_t first : next[start])
            if (first != goal) open.push_back(first);
        seen[start] = true;
        while (!open.empty()) {
            std::size_t at = open.back();
            open.pop_back();
            if (at == goal) return true;
            if (seen[at]) continue;
            seen[at] = true;
            open.insert(open.end(), next[at].begin(), next[at].end());
        }
        return false;
    };
    Edges kept;
    for (const auto& edge : graph.edges)
        if (!reaches(edge.first, edge.second)) kept.insert(edge);
    // In a circle every edge follows from the others.
    return kept.empty() ? graph.edges : kept;
}

double width_of(const GraphFigure::Box& box) {
    return static_cast<double>(letters_in(box.label)) * letter_width + 20;
}

std::string graphviz_text(const GraphFigure& figure, const Edges& edges) {
    std::string text = "digraph g { rankdir=LR; nodesep=0.12; ranksep=0.7; edge [arrowhead=none]; node "
                       "[shape=box, fixedsize=true];\n";
    for (std::size_t i = 0; i < figure.boxes.size(); ++i)
        text += fmt::format("n{} [width={:.3f}, height={:.3f}, label=\"\"];\n", i,
                            width_of(figure.boxes[i]) / units_per_inch, box_height / units_per_inch);
    for (const auto& [from, to] : edges) text += fmt::format("n{} -> n{};\n", from, to);
    return text + "}\n";
}

/// Reads Graphviz's "plain" format and writes boxes and lines.
class Painter {
  public:
    Painter(const GraphFigure& figure, const std::string& plain) : figure_(figure) {
        std::istringstream in(plain);
        std::string word;
        for (std::string line; std::getline(in, line);) {
            std::istringstream words(line);
            words >> word;
            if (word == "graph") {
                double scale = 1;
                words >> scale >> width_ >> height_;
            } else if (word == "node") {
                paint_box(words);
            } else if (word == "edge") {
                paint_edge(words);
            }
        }
    }

    std::string svg() const {
        std::vector<LegendEntry> entries;
        for (std::size_t i = 0; i < figure_.looks.size(); ++i) {
            auto count = std::ranges::count(figure_.boxes, i, &GraphFigure::Box::look);
            const BoxLook& look = figure_.looks[i];
            if (count > 0)
                entries.push_back(
                    {look.fill, look.line, fmt::format("{} ({})", look.meaning, count), look.dashed});
        }
        auto [legend_text, legend_width] = legend(entries, margin, 46);
        double width = std::max({width_ * units_per_inch + 2 * margin, legend_width + margin,
                                 static_cast<double>(letters_in(figure_.title)) * 9.5 + 2 * margin});
        double height = head_height + height_ * units_per_inch + margin;
        return svg_document(width, height, figure_.title,
                            legend_text + "<g fill=\"none\" stroke=\"#777777\">\n" + lines_ + "</g>\n" +
                                boxes_);
    }

  private:
    double x_of(double x) const { return margin + x * units_per_inch; }
    double y_of(double y) const { return head_height + (height_ - y) * units_per_inch; }

    void paint_box(std::istringstream& words) {
        std::string name;
        double x = 0, y = 0, w = 0, h = 0;
        words >> name >> x >> y >> w >> h;
        const GraphFigure::Box& box = figure_.boxes.at(std::stoul(name.substr(1)));
        const BoxLook& look = figure_.looks.at(box.look);
        boxes_ += fmt::format(
            "<g><title>{2}: {3}</title><rect x=\"{0:.1f}\" y=\"{1:.1f}\" width=\"{4:.1f}\" "
            "height=\"{5:.1f}\" "
            "rx=\"4\" fill=\"{6}\" stroke=\"{7}\"{8}/><text class=\"box\" x=\"{9:.1f}\" y=\"{10:.1f}\" "
            "style=\"fill:{11}\">{2}</text></g>\n",
            x_of(x - w / 2), y_of(y + h / 2), xml_text(box.label),
            xml_text(box.hint.empty() ? look.meaning : box.hint), w * units_per_inch, h * units_per_inch,
            look.fill, box.marked ? "#d55e00" : look.line,
            look.dashed  ? " stroke-dasharray=\"4 3\""
            : box.marked ? " stroke-width=\"3\""
                         : "",
            x_of(x), y_of(y) + 4, look.text);
    }

    void paint_edge(std::istringstream& words) {
        std::string from, to;
        std::size_t count = 0;
        words >> from >> to >> count;
        std::string path;
        for (std::size_t i = 0; i < count; ++i) {
            double x = 0, y = 0;
            words >> x >> y;
            path += fmt::format("{}{:.1f} {:.1f}", i == 0 ? "M" : i == 1 ? " C" : " ", x_of(x), y_of(y));
        }
        std::pair edge(std::stoul(from.substr(1)), std::stoul(to.substr(1)));
        std::string look = figure_.marked.contains(edge) ? " stroke=\"#d55e00\" stroke-width=\"3\""
                           : figure_.cycles.contains(edge)
                               ? " stroke=\"#cc79a7\" stroke-width=\"2\" stroke-dasharray=\"6 3\""
                               : "";
        lines_ += fmt::format("<path d=\"{}\"{} marker-end=\"url(#arrow)\"/>\n", path, look);
    }

    const GraphFigure& figure_;
    double width_ = 0, height_ = 0;
    std::string lines_, boxes_;
};

} // namespace

Result<std::string> graph_figure(const GraphFigure& figure, const Drawing& drawing) {
    Edges edges = figure.keeps_all_edges ? figure.edges : without_implied(figure);
    edges.insert(figure.marked.begin(), figure.marked.end());
    edges.insert(figure.cycles.begin(), figure.cycles.end());
    auto plain = drawing.layout(graphviz_text(figure, edges));
    if (!plain) return pass_on(plain);
    return Painter(figure, *plain).svg();
}

} // namespace omnistasis::report
