#include "runtimes/lore_list.h"

#include "runtimes/node/lore.h"
#include "runtimes/python/lore.h"

#include <fmt/format.h>

namespace omnistasis {

namespace {

void add(const python::Lore& lore, std::vector<LoreSummary>& list) {
    for (const auto& [module, entry] : lore) {
        LoreSummary one{.about = module, .condition = {}, .why = entry.why};
        if (module == "*") one.about = "* (modules of packages)";
        if (module == "*standard") one.about = "* (modules of the standard library)";
        for (const auto& [distribution, versions] : entry.versions)
            one.condition += fmt::format(" ({} {})", distribution, versions);
        list.push_back(std::move(one));
    }
}

void add(const node::Lore& lore, std::vector<LoreSummary>& list) {
    for (const auto& [package, entry] : lore) list.push_back({package, "", entry.why});
}

} // namespace

Result<std::vector<LoreSummary>> known_lore(const std::filesystem::path& data) {
    std::vector<LoreSummary> list;
    auto of_python = python::read_lore(data / "lore/python");
    if (!of_python) return pass_on(of_python);
    add(*of_python, list);
    auto of_node = node::read_lore(data / "lore/node");
    if (!of_node) return pass_on(of_node);
    add(*of_node, list);
    return list;
}

Result<std::vector<LoreSummary>> lore_in_file(const std::filesystem::path& file) {
    std::vector<LoreSummary> list;
    python::Lore of_python;
    node::Lore of_node;
    auto read = python::read_lore_file(file, of_python);
    if (read)
        add(of_python, list);
    else if (node::read_lore_file(file, of_node))
        add(of_node, list);
    else
        return pass_on(read);
    return list;
}

} // namespace omnistasis
