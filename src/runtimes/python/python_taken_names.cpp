// Modules that import their parts when somebody takes them: `numpy.linalg` comes from a function __getattr__
// (PEP 562) in numpy/__init__.py that imports it. What such a function may import is needed only where a
// module that is needed itself takes the name.
#include "runtimes/python/python_runtime.h"

#include <algorithm>
#include <sstream>

namespace omnistasis::python {

/// Holds what a module asks for once names are taken from it until they are.
void PythonRuntime::note_late_requests(std::size_t scanned) {
    const std::string& module = scanned_[scanned].name;
    auto add = [this](LateRequest late) {
        late_names_.insert(late.names.begin(), late.names.end());
        late_requests_.push_back(std::move(late));
    };
    for (const Request& request : scanned_[scanned].result.requests) {
        if (request.taken_names.empty()) continue;
        if (request.taken_names == "*") {
            // The name that is taken is the end of the module's.
            for (const std::string& part : finder_.modules_in(parent_of(request.module))) {
                std::string name = part.substr(request.module.size());
                if (!part.starts_with(request.module) || name.find('.') != std::string::npos) continue;
                Request one = request;
                one.kind = Request::Kind::module;
                one.module = part;
                add({module, std::move(one), {name_hash(name)}});
            }
            continue;
        }
        LateRequest late{module, request, {}};
        std::istringstream names(request.taken_names);
        for (std::string name; std::getline(names, name);) late.names.push_back(name_hash(name));
        add(std::move(late));
    }
}

/// Whether some module that is needed takes a name from `module`, which it imports.
bool PythonRuntime::is_taken(const std::string& module, std::uint32_t name) {
    return std::ranges::any_of(scanned_, [&](const Scanned& scanned) {
        if (scanned.name == module || only_goes_along(scanned)) return false;
        bool takes_name = std::ranges::binary_search(scanned.result.names_taken, name);
        return std::ranges::any_of(scanned.result.requests, [&](const Request& request) {
            bool everything = request.kind == Request::Kind::everything_of;
            if (!takes_name && !everything) return false;
            std::string asked = absolute_module(request, scanned.name);
            return (everything && asked == module) || (takes_name && top_of(asked) == top_of(module));
        });
    });
}

void PythonRuntime::settle_taken_names(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    for (; searched_for_late_ < scanned_.size(); ++searched_for_late_)
        if (!scanned_[searched_for_late_].own) note_late_requests(searched_for_late_);
    std::erase_if(late_requests_, [&](const LateRequest& late) {
        auto taken = [&](std::uint32_t name) { return is_taken(late.module, name); };
        auto id = ids.find(late.module);
        if (id == ids.end() || std::ranges::none_of(late.names, taken)) return false;
        const Unit& module = units[id->second];
        Expansion out;
        answer(module, late.request, out);
        hold_back_unrelated(module, out);
        if (is_companion(module))
            restrain(module, out);
        else
            note_asked(module, out.needs);
        for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        return true;
    });
}

} // namespace omnistasis::python
