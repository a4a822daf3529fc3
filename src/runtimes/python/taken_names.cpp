// Modules that import their parts when somebody takes them: `numpy.linalg` comes from a function __getattr__
// (PEP 562) in numpy/__init__.py that imports it. What such a function may import is needed only where a
// module that is needed itself takes the name.
#include "runtimes/python/taken_names.h"

#include <algorithm>
#include <sstream>

namespace omnistasis::python {

/// Holds what a module asks for once names are taken from it until they are.
void TakenNames::note_late_requests(std::size_t scanned) {
    const std::string& module = gathered_.scanned[scanned].name;
    auto add = [this](LateRequest late) {
        gathered_.late_names.insert(late.names.begin(), late.names.end());
        late_requests_.push_back(std::move(late));
    };
    for (const Request& request : gathered_.scanned[scanned].result.requests) {
        if (request.taken_names.empty()) continue;
        if (request.taken_names == "*") {
            // The name that is taken is the end of the module's.
            for (const std::string& part : ground_.finder.modules_in(parent_of(request.module))) {
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
bool TakenNames::is_taken(const std::string& module, std::uint32_t name) {
    return std::ranges::any_of(gathered_.scanned, [&](const Scanned& scanned) {
        if (scanned.name == module || companions_.only_goes_along(scanned)) return false;
        bool takes_name = std::ranges::binary_search(scanned.result.names_taken, name);
        return std::ranges::any_of(scanned.result.requests, [&](const Request& request) {
            bool everything = request.kind == Request::Kind::everything_of;
            if (!takes_name && !everything) return false;
            std::string asked = ground_.absolute_module(request, scanned.name);
            return (everything && asked == module) || (takes_name && top_of(asked) == top_of(module));
        });
    });
}

void TakenNames::settle_taken_names(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    for (; searched_for_late_ < gathered_.scanned.size(); ++searched_for_late_)
        if (!gathered_.scanned[searched_for_late_].own) note_late_requests(searched_for_late_);
    std::erase_if(late_requests_, [&](const LateRequest& late) {
        auto taken = [&](std::uint32_t name) { return is_taken(late.module, name); };
        auto id = ids.find(late.module);
        if (id == ids.end() || std::ranges::none_of(late.names, taken)) return false;
        const Unit& module = units[id->second];
        Expansion out;
        metadata_.answer(module, late.request, out);
        companions_.hold_back_unrelated(module, out);
        if (companions_.is_companion(module))
            companions_.restrain(module, out);
        else
            companions_.note_asked(module, out.needs);
        for (Need& need : out.needs) needs.emplace_back(id->second, std::move(need));
        return true;
    });
}

} // namespace omnistasis::python
