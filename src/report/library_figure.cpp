#include "report/library_figure.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <sstream>

namespace omnistasis::report {

namespace {

using Side = LibraryGraph::Side;
using Edges = std::set<std::pair<std::size_t, std::size_t>>;

/// Colours that remain apart for people who see fewer of them; dark text on light ground and the reverse.
struct Look {
    const char* fill;
    const char* line;
    const char* text;
    const char* meaning;
};

const Look& look_of(Side side) {
    static constexpr Look start{"#0072b2", "#004a75", "#ffffff", "what is started, imported or opened"};
    static constexpr Look shipped{"#cfe8f7", "#3a84b0", "#12303f", "a library that goes along"};
    static constexpr Look host{"#f0f0f0", "#8a8a8a", "#333333", "every system has it"};
    static constexpr Look missing{"#d55e00", "#7d3700", "#ffffff", "not found"};
    return side == Side::start     ? start
           : side == Side::shipped ? shipped
           : side == Side::host    ? host
                                   : missing;
}

constexpr double letter_width = 7.2, node_height = 26, units_per_inch = 72;

std::string label_of(const LibraryGraph::Node& node) {
    return node.files == 1 ? node.name : fmt::format("{} ({} files)", node.name, node.files);
}

double width_of(const LibraryGraph::Node& node) {
    return static_cast<double>(label_of(node).size()) * letter_width + 20;
}

/// What a file is known by in the graph: the name that others ask for.
struct File {
    std::string place;
    std::string name;
    std::vector<std::string> needed;
};

std::string last_part(const std::string& path) { return path.substr(path.rfind('/') + 1); }

class GraphMaker {
  public:
    explicit GraphMaker(const native::HostLibraries& host) : host_(host) {}

    void add(const File& file) { files_.push_back(file); }
    void add_library(const std::string& name, const std::vector<std::string>& needed) {
        if (libraries_.insert(name).second) files_.push_back({name, name, needed});
    }

    LibraryGraph make() {
        std::set<std::string> asked, names;
        for (const File& file : files_) {
            asked.insert(file.needed.begin(), file.needed.end());
            names.insert(file.name);
        }
        for (const File& file : files_) {
            std::size_t from = 0;
            if (asked.contains(file.name)) {
                from = node(file.name, host_.find(file.name) != nullptr ? Side::host : Side::shipped);
            } else {
                // Of many in one folder it is the folder that tells something.
                std::string folder = file.place.substr(0, file.place.find_last_of('/') + 1);
                bool alone = std::ranges::count_if(files_, [&](const File& other) {
                                 return !asked.contains(other.name) &&
                                        other.place.substr(0, other.place.find_last_of('/') + 1) == folder;
                             }) == 1;
                bool is_new = !ids_.contains(alone ? file.place : folder);
                from = node(alone ? file.place : folder, Side::start);
                if (!alone && !is_new) ++graph_.nodes[from].files;
            }
            // The system's own libraries are the system's matter.
            if (graph_.nodes[from].side == Side::host) continue;
            for (const std::string& name : file.needed) {
                Side side = host_.find(name) != nullptr ? Side::host
                            : names.contains(name)      ? Side::shipped
                                                        : Side::missing;
                std::size_t to = node(name, side);
                if (to != from) graph_.edges.emplace(from, to);
            }
        }
        return std::move(graph_);
    }

  private:
    std::size_t node(const std::string& name, Side side) {
        auto [known, is_new] = ids_.try_emplace(name, graph_.nodes.size());
        if (is_new) graph_.nodes.push_back({name, side, 1});
        return known->second;
    }

    const native::HostLibraries& host_;
    std::vector<File> files_;
    std::set<std::string> libraries_;
    std::map<std::string, std::size_t> ids_;
    LibraryGraph graph_;
};

/// The edges without those that a longer way says too.
Edges without_implied(const LibraryGraph& graph) {
    std::vector<std::vector<std::size_t>> next(graph.nodes.size());
    for (const auto& [from, to] : graph.edges) next[from].push_back(to);
    auto reaches = [&](std::size_t start, std::size_t goal) {
        std::vector<bool> seen(graph.nodes.size());
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

std::string graphviz_text(const LibraryGraph& graph, const Edges& edges) {
    std::string text =
        "digraph g { rankdir=LR; nodesep=0.12; ranksep=0.7; node [shape=box, fixedsize=true];\n";
    for (std::size_t i = 0; i < graph.nodes.size(); ++i)
        text += fmt::format("n{} [width={:.3f}, height={:.3f}, label=\"\"];\n", i,
                            width_of(graph.nodes[i]) / units_per_inch, node_height / units_per_inch);
    for (const auto& [from, to] : edges) text += fmt::format("n{} -> n{};\n", from, to);
    return text + "}\n";
}

} // namespace

LibraryGraph library_graph(const std::vector<Inspection>& inspections, const native::HostLibraries& host) {
    GraphMaker maker(host);
    for (const Inspection& inspection : inspections) {
        for (const Inspection::NativeFile& file : inspection.native_files)
            maker.add({file.place, last_part(file.place), file.needed});
        if (inspection.process) {
            const auto& objects = inspection.process->objects;
            for (std::size_t i = 1; i < objects.size(); ++i)
                maker.add_library(last_part(objects[i].name), objects[i].elf->needed);
        }
        if (inspection.elf)
            maker.add({inspection.file, last_part(inspection.file), inspection.elf->needed});
        else if (inspection.pe) {
            File file{inspection.file, last_part(inspection.file), {}};
            for (const auto& library : inspection.pe->imports) file.needed.push_back(library.library);
            maker.add(file);
        } else if (inspection.mach_o)
            for (const auto& image : inspection.mach_o->images) {
                File file{inspection.file, last_part(inspection.file), {}};
                for (const auto& library : image.libraries) file.needed.push_back(last_part(library.name));
                maker.add(file);
            }
    }
    return maker.make();
}

Result<std::string> library_figure(const LibraryGraph& graph, const std::string& title,
                                   const Drawing& drawing) {
    Edges edges = without_implied(graph);
    auto plain = drawing.layout(graphviz_text(graph, edges));
    if (!plain) return tl::make_unexpected(plain.error());
    constexpr double margin = 24, head = 84;
    double width = 0, height = 0;
    std::string lines, boxes, word;
    std::istringstream in(*plain);
    auto x_of = [&](double x) { return margin + x * units_per_inch; };
    auto y_of = [&](double y) { return head + (height - y) * units_per_inch; };
    for (std::string line; std::getline(in, line);) {
        std::istringstream words(line);
        words >> word;
        if (word == "graph") {
            double scale = 1;
            words >> scale >> width >> height;
        } else if (word == "node") {
            std::string name;
            double x = 0, y = 0, w = 0, h = 0;
            words >> name >> x >> y >> w >> h;
            const LibraryGraph::Node& node = graph.nodes.at(std::stoul(name.substr(1)));
            const Look& look = look_of(node.side);
            boxes += fmt::format("<g><title>{2}: {3}</title><rect x=\"{0:.1f}\" y=\"{1:.1f}\" "
                                 "width=\"{4:.1f}\" height=\"{5:.1f}\" rx=\"4\" "
                                 "fill=\"{6}\" stroke=\"{7}\"{8}/><text x=\"{9:.1f}\" y=\"{10:.1f}\" "
                                 "fill=\"{11}\">{2}</text></g>\n",
                                 x_of(x - w / 2), y_of(y + h / 2), xml_text(label_of(node)), look.meaning,
                                 w * units_per_inch, h * units_per_inch, look.fill, look.line,
                                 node.side == Side::host ? " stroke-dasharray=\"4 3\"" : "", x_of(x),
                                 y_of(y) + 4, look.text);
        } else if (word == "edge") {
            std::string from, to;
            std::size_t count = 0;
            words >> from >> to >> count;
            std::string path;
            for (std::size_t i = 0; i < count; ++i) {
                double x = 0, y = 0;
                words >> x >> y;
                path += fmt::format("{}{:.1f} {:.1f}", i == 0 ? "M" : i == 1 ? " C" : " ", x_of(x), y_of(y));
            }
            lines += fmt::format("<path d=\"{}\" marker-end=\"url(#arrow)\"/>\n", path);
        }
    }
    std::string legend;
    double at = margin;
    for (Side side : {Side::start, Side::shipped, Side::host, Side::missing}) {
        auto count = std::ranges::count(graph.nodes, side, &LibraryGraph::Node::side);
        if (count == 0) continue;
        const Look& look = look_of(side);
        std::string text = fmt::format("{} ({})", look.meaning, count);
        legend += fmt::format("<rect x=\"{0:.1f}\" y=\"46\" width=\"16\" height=\"16\" rx=\"3\" fill=\"{1}\" "
                              "stroke=\"{2}\"{3}/>"
                              "<text class=\"legend\" x=\"{4:.1f}\" y=\"58\">{5}</text>\n",
                              at, look.fill, look.line, side == Side::host ? " stroke-dasharray=\"4 3\"" : "",
                              at + 22, text);
        at += 22 + static_cast<double>(text.size()) * 6.6 + 24;
    }
    double full_width = std::max({width * units_per_inch + 2 * margin, at, title.size() * 9.5 + 2 * margin});
    double full_height = head + height * units_per_inch + margin;
    return fmt::format("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{0:.0f}\" height=\"{1:.0f}\" "
                       "viewBox=\"0 0 {0:.0f} {1:.0f}\" role=\"img\" "
                       "aria-label=\"{2}\">\n"
                       "<style>text {{ font: 12px 'DejaVu Sans Mono', monospace; text-anchor: middle }} "
                       ".title {{ font: bold 16px 'DejaVu Sans', "
                       "sans-serif; text-anchor: start }} .legend {{ font: 12px 'DejaVu Sans', sans-serif; "
                       "text-anchor: start; fill: #333333 }}</style>\n"
                       "<defs><marker id=\"arrow\" viewBox=\"0 0 8 8\" refX=\"7\" refY=\"4\" "
                       "markerWidth=\"7\" markerHeight=\"7\" orient=\"auto\">"
                       "<path d=\"M0 0 L8 4 L0 8 z\" fill=\"#777777\"/></marker></defs>\n"
                       "<rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n<text class=\"title\" "
                       "x=\"{3:.0f}\" y=\"30\">{2}</text>\n{4}"
                       "<g fill=\"none\" stroke=\"#777777\">\n{5}</g>\n{6}</svg>\n",
                       full_width, full_height, xml_text(title), margin, legend, lines, boxes);
}

} // namespace omnistasis::report
