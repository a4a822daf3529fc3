#include "runtimes/python/gathered.h"

#include "support/json.h"

namespace omnistasis::python {

std::string Gathered::learned() const {
    Json json{{"moved", moved},
              {"sources", reads_own_sources},
              {"shown", shows_modules},
              {"idle", idle_lore},
              {"with_source", with_source},
              {"imported", imported},
              {"late_names", late_names},
              {"programs", carries_programs},
              {"libraries", library_versions},
              {"library_folders", library_folders}};
    return json_line(json);
}

void Gathered::relearn(std::string_view learned) {
    Json json = parse_json(learned);
    if (!json.is_object() || !json.contains("shown")) return;
    auto take = [&](const char* key, auto& value) {
        value = json[key].get<std::remove_reference_t<decltype(value)>>();
    };
    take("moved", moved);
    take("sources", reads_own_sources);
    take("shown", shows_modules);
    take("idle", idle_lore);
    take("with_source", with_source);
    take("imported", imported);
    take("late_names", late_names);
    take("programs", carries_programs);
    take("libraries", library_versions);
    take("library_folders", library_folders);
}

} // namespace omnistasis::python
