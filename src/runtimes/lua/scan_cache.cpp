#include "runtimes/lua/lua_runtime.h"
#include "support/kept_of_file.h"
#include "support/stored_form.h"

namespace omnistasis::lua {

namespace {

/// Every field of a result, in one order for writing and reading.
template <typename Archive, typename Result> void visit_scan(Archive& archive, Result& result) {
    visit_list(archive, result.modules, [](auto& into, auto& request) {
        into.value(request.name);
        into.value(request.line);
        into.value(request.is_guarded);
        into.value(request.is_deferred);
    });
    for (auto* list :
         {&result.files, &result.opened, &result.written, &result.paths, &result.lua_path, &result.c_path,
          &result.libraries, &result.programs, &result.variables, &result.names, &result.preloaded})
        visit_list(archive, *list, [](auto& into, auto& text) {
            into.value(text.text);
            into.value(text.line);
        });
    archive.value(result.compiled_for);
    archive.value(result.unknown_module);
    archive.value(result.unknown_file);
}

} // namespace

std::string stored_form(const ScanResult& result) {
    FormWriter writer;
    visit_scan(writer, result);
    return std::move(writer.bytes);
}

std::optional<ScanResult> scan_file(const std::string& file, const std::string& module, Store& store) {
    return kept_of_file(
        file, "lua scan 1 " + own_program_stamp() + " " + module, store,
        [&](ByteSpan content) { return scan(as_text(content), module); },
        [](auto& archive, ScanResult& result) { visit_scan(archive, result); });
}

} // namespace omnistasis::lua
