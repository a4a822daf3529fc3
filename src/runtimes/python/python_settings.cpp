// Modules that the application's own settings name.
#include "runtimes/python/python_runtime.h"
#include "runtimes/python/setting_names.h"

#include <algorithm>

namespace omnistasis::python {

/// Own settings name own modules and classes in them. Those of packages count where something that is reached
/// imports by names: "logging.handlers.RotatingFileHandler" for the configuration of logging.
void PythonRuntime::settle_settings(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    constexpr std::uint64_t most_bytes = 1u << 20;
    bool imports_by_name =
        ids.contains("logging.config") || std::ranges::any_of(scanned_, [&](const Scanned& one) {
            return one.result.imports_by_name && !one.standard;
        });
    auto read = [&](const std::string& file, trace::UnitId from) {
        auto text =
            settings_read_.insert(file).second ? MappedFile::open(file) : tl::make_unexpected(Error());
        if (!text || text->bytes().size() > most_bytes) return;
        Scanned settings;
        settings.name = "__main__";
        settings.file = file;
        settings.own = true;
        settings.result.imports_by_name = imports_by_name;
        Expansion out;
        for (const StringAt& name : names_in_settings(text->text())) {
            bool is_own = finder_.may_have("", top_of(name.text)) &&
                          places_.is_own(finder_.find(top_of(name.text)).root);
            if (is_own || imports_by_name) want_dotted_string(settings, name, out);
        }
        note_asked(units[from], out.needs);
        for (Need& need : out.needs) needs.emplace_back(from, std::move(need));
    };
    for (trace::UnitId id = 0; id < units.size(); ++id)
        if (units[id].own && units[id].kind == UnitKind::data && is_settings_file(units[id].file))
            read(units[id].file, id);
    // Variables of the environment that a tool puts in: the file itself stays here.
    auto main = ids.find(main_module().empty() ? "__main__" : main_module());
    std::string variables = (project_.own_folder / ".env").string();
    if (main != ids.end() && !project_.is_installed && is_file(variables)) read(variables, main->second);
}

} // namespace omnistasis::python
