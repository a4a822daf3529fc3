#include "report/library_figure.h"

#include "report/graph_figure.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace omnistasis::report {

namespace {

using Side = LibraryGraph::Side;

/// In the order of LibraryGraph::Side.
std::vector<BoxLook> looks() {
    return {{"#0072b2", "#004a75", "#ffffff", "what is started, imported or opened"},
            {"#cfe8f7", "#3a84b0", "#12303f", "a library that goes along"},
            {"#f0f0f0", "#8a8a8a", "#333333", "every system has it", true},
            {"#d55e00", "#7d3700", "#ffffff", "not found"}};
}

std::string label_of(const LibraryGraph::Node& node) {
    return node.files == 1 ? node.name : fmt::format("{} ({} files)", node.name, node.files);
}

/// What a file is known by in the graph: the name that others ask for.
struct File {
    std::string place;
    std::string name;
    std::vector<std::string> needed;
};

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

} // namespace

LibraryGraph library_graph(const std::vector<Inspection>& inspections, const native::HostLibraries& host) {
    GraphMaker maker(host);
    for (const Inspection& inspection : inspections) {
        for (const Inspection::NativeFile& file : inspection.native_files)
            maker.add({file.place, base_name(file.place), file.needed});
        if (inspection.process) {
            const auto& objects = inspection.process->objects;
            for (std::size_t i = 1; i < objects.size(); ++i)
                maker.add_library(base_name(objects[i].name), objects[i].elf->needed);
        }
        if (inspection.elf)
            maker.add({inspection.file, base_name(inspection.file), inspection.elf->needed});
        else if (inspection.pe) {
            File file{inspection.file, base_name(inspection.file), {}};
            for (const auto& library : inspection.pe->imports) file.needed.push_back(library.library);
            maker.add(file);
        } else if (inspection.mach_o)
            for (const auto& image : inspection.mach_o->images) {
                File file{inspection.file, base_name(inspection.file), {}};
                for (const auto& library : image.libraries) file.needed.push_back(base_name(library.name));
                maker.add(file);
            }
    }
    return maker.make();
}

Result<std::string> library_figure(const LibraryGraph& graph, const std::string& title,
                                   const Drawing& drawing) {
    GraphFigure figure;
    figure.title = title;
    figure.looks = looks();
    for (const LibraryGraph::Node& node : graph.nodes)
        figure.boxes.push_back({label_of(node), {}, static_cast<std::size_t>(node.side)});
    figure.edges = graph.edges;
    return graph_figure(figure, drawing);
}

} // namespace omnistasis::report
