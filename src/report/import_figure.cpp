#include "report/import_figure.h"

#include "report/graph_figure.h"
#include "trace/why.h"

#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <unordered_map>

namespace omnistasis::report {

namespace {

constexpr std::size_t most_modules = 40; ///< that are drawn one by one
constexpr std::size_t most_boxes = 70;

enum Look : std::size_t { own, runtime, package, others };

/// The strongly connected components of a graph (Tarjan's algorithm, without recursion): a number for each
/// node.
std::vector<std::size_t> components_of(std::size_t count,
                                       const std::set<std::pair<std::size_t, std::size_t>>& edges) {
    std::vector<std::vector<std::size_t>> next(count);
    for (const auto& [from, to] : edges) next[from].push_back(to);
    constexpr std::size_t none = ~std::size_t(0);
    std::vector<std::size_t> order(count, none), low(count, none), component(count, none), stack;
    std::vector<bool> on_stack(count);
    std::size_t counter = 0, components = 0;
    for (std::size_t root = 0; root < count; ++root) {
        if (order[root] != none) continue;
        std::vector<std::pair<std::size_t, std::size_t>> open{{root, 0}};
        while (!open.empty()) {
            auto& [node, child] = open.back();
            if (child == 0) {
                order[node] = low[node] = counter++;
                stack.push_back(node);
                on_stack[node] = true;
            }
            if (child < next[node].size()) {
                std::size_t to = next[node][child++];
                if (order[to] == none)
                    open.emplace_back(to, 0);
                else if (on_stack[to])
                    low[node] = std::min(low[node], order[to]);
                continue;
            }
            std::size_t done = node;
            if (low[done] == order[done])
                for (std::size_t member = none; member != done;) {
                    member = stack.back();
                    stack.pop_back();
                    on_stack[member] = false;
                    component[member] = components;
                    if (member == done) ++components;
                }
            open.pop_back();
            if (!open.empty()) low[open.back().first] = std::min(low[open.back().first], low[done]);
        }
    }
    return component;
}

std::string part_of(const trace::Unit& unit) {
    if (!unit.part.empty()) return unit.part;
    return unit.name.substr(0, unit.name.find('.'));
}

} // namespace

Result<std::string> import_figure(const Facts& facts, const std::string& marked, const Drawing& drawing) {
    const trace::Graph& graph = facts.graph;
    auto is_shown = [&](const trace::Unit& unit) {
        return trace::is_module(unit.kind) || trace::is_source(unit.kind) ||
               unit.kind == trace::UnitKind::extension;
    };
    std::unordered_map<trace::UnitId, std::string> owners;
    for (const Piece& piece : facts.pieces)
        if (piece.unit) owners.emplace(*piece.unit, piece.owner);
    std::string runtime_name = facts.runtime.substr(0, facts.runtime.rfind(' '));
    auto is_runtime = [&](trace::UnitId id) {
        auto owner = owners.find(id);
        return graph.units[id].of_runtime || graph.units[id].kind == trace::UnitKind::built_in ||
               (owner != owners.end() && owner->second == runtime_name);
    };
    // The runtime's own library is one box: what the application and its packages import is the question.
    std::size_t modules = 0;
    for (trace::UnitId id = 0; id < graph.units.size(); ++id)
        modules += is_shown(graph.units[id]) && !is_runtime(id);
    bool single = modules <= most_modules;
    std::map<std::string, std::size_t> count;
    auto box_name = [&](trace::UnitId id) {
        const trace::Unit& unit = graph.units[id];
        if (is_runtime(id)) return facts.runtime.empty() ? std::string("the runtime") : facts.runtime;
        return single ? unit.name : part_of(unit);
    };
    for (trace::UnitId id = 0; id < graph.units.size(); ++id)
        if (is_shown(graph.units[id])) ++count[box_name(id)];
    std::vector<std::pair<std::size_t, std::string>> by_size;
    for (const auto& [name, number] : count) by_size.emplace_back(number, name);
    std::ranges::sort(by_size, std::greater<>());
    std::map<std::string, std::size_t> box_of;
    GraphFigure figure;
    figure.looks = {{"#56b4e9", "#1f6f9f", "#0b2536", "the application's own"},
                    {"#009e73", "#00563e", "#ffffff", "the runtime and its library"},
                    {"#f7e3b5", "#b07a00", "#2b1e00", single ? "a module of a package" : "a package"},
                    {"#eeeeee", "#888888", "#333333", "smaller packages, put together", true}};
    std::vector<std::size_t> numbers;
    auto add_box = [&](const std::string& name, std::size_t look, std::size_t number) {
        figure.boxes.push_back({name, fmt::format("{} modules", number), look});
        numbers.push_back(number);
        return figure.boxes.size() - 1;
    };
    std::set<std::string> own_names, runtime_names;
    for (trace::UnitId id = 0; id < graph.units.size(); ++id) {
        if (!is_shown(graph.units[id])) continue;
        if (is_runtime(id))
            runtime_names.insert(box_name(id));
        else if (graph.units[id].own)
            own_names.insert(box_name(id));
    }
    std::size_t rest = ~std::size_t(0), rest_count = 0;
    for (const auto& [number, name] : by_size) {
        std::size_t look = runtime_names.contains(name) ? runtime : own_names.contains(name) ? own : package;
        if (figure.boxes.size() < most_boxes || look != package) {
            box_of[name] = add_box(name, look, number);
            continue;
        }
        if (rest == ~std::size_t(0)) rest = add_box("", others, 0);
        box_of[name] = rest;
        numbers[rest] += number;
        ++rest_count;
    }
    for (std::size_t i = 0; i < figure.boxes.size(); ++i) {
        if (i == rest) figure.boxes[i].label = fmt::format("{} other packages", rest_count);
        if (numbers[i] > 1) figure.boxes[i].label += fmt::format(" ({})", numbers[i]);
    }
    auto box = [&](trace::UnitId id) { return box_of.at(box_name(id)); };
    for (const trace::Edge& edge : graph.edges)
        if (is_shown(graph.units[edge.from]) && is_shown(graph.units[edge.to]) &&
            edge.reason.verb != "is in the package" && box(edge.from) != box(edge.to))
            figure.edges.emplace(box(edge.from), box(edge.to));
    // What the runtime imports of itself says nothing; what everything imports is no arrow's worth.
    for (const std::string& name : runtime_names)
        std::erase_if(figure.edges, [&](const auto& edge) { return edge.first == box_of[name]; });
    std::vector<std::size_t> component = components_of(figure.boxes.size(), figure.edges);
    std::size_t cycles = 0;
    for (const auto& edge : figure.edges)
        if (component[edge.first] == component[edge.second]) {
            figure.cycles.insert(edge);
            ++cycles;
        }
    std::string way;
    if (!marked.empty())
        for (trace::UnitId unit : trace::units_named(graph, marked)) {
            auto chains = trace::chains_to(graph, unit, 1);
            if (chains.empty()) continue;
            for (const trace::Edge& edge : chains.front())
                if (is_shown(graph.units[edge.from]) && is_shown(graph.units[edge.to])) {
                    figure.boxes[box(edge.from)].marked = figure.boxes[box(edge.to)].marked = true;
                    if (box(edge.from) != box(edge.to)) figure.marked.emplace(box(edge.from), box(edge.to));
                }
            way = fmt::format("; thick: the way to {}", marked);
            break;
        }
    figure.title = fmt::format("What imports what: {} modules{}{}{}", modules,
                               single ? "" : fmt::format(", by package ({} boxes)", figure.boxes.size()),
                               cycles == 0 ? "" : fmt::format("; dashed: {} arrows of cycles", cycles), way);
    return graph_figure(figure, drawing);
}

} // namespace omnistasis::report
