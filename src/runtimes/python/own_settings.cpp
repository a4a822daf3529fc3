// Modules that the application's own settings name.
#include "runtimes/python/own_settings.h"

#include "runtimes/python/setting_names.h"

#include <algorithm>

namespace omnistasis::python {

void OwnSettings::settle_settings(const std::vector<Unit>& units, const UnitIds& ids, UnitNeeds& needs) {
    constexpr std::uint64_t most_bytes = 1u << 20;
    bool imports_by_name =
        ids.contains("logging.config") || std::ranges::any_of(gathered_.scanned, [&](const Scanned& one) {
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
            bool is_own = ground_.finder.may_have("", top_of(name.text)) &&
                          ground_.places.is_own(ground_.finder.find(top_of(name.text)).root);
            if (is_own || imports_by_name) strings_.want_dotted_string(settings, name, out);
        }
        companions_.note_asked(units[from], out.needs);
        for (Need& need : out.needs) needs.emplace_back(from, std::move(need));
    };
    for (trace::UnitId id = 0; id < units.size(); ++id)
        if (units[id].own && units[id].kind == UnitKind::data && is_settings_file(units[id].file))
            read(units[id].file, id);
    // Variables of the environment that a tool puts in: the file itself stays here.
    auto main = ids.find(ground_.main_module().empty() ? "__main__" : ground_.main_module());
    std::string variables = (ground_.project.own_folder / ".env").string();
    if (main != ids.end() && !ground_.project.is_installed && is_file(variables))
        read(variables, main->second);
}

} // namespace omnistasis::python
