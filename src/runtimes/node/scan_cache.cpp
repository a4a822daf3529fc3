#include "runtimes/node/scan_cache.h"

#include "support/files.h"
#include "support/kept_of_file.h"
#include "support/stored_form.h"

namespace omnistasis::node {

namespace {

template <typename Archive, typename Result> void visit_scan(Archive& archive, Result& result) {
    visit_list(archive, result.requests, [](auto& into, auto& request) {
        into.value(request.kind);
        into.value(request.text);
        into.value(request.line);
        into.value(request.guarded);
        into.value(request.in_function);
    });
    visit_list(archive, result.variables, [](auto& into, auto& variable) {
        into.value(variable.name);
        into.value(variable.line);
    });
    archive.value(result.imports_late);
    archive.value(result.is_module);
}

} // namespace

std::optional<ScanResult> scan_file(const std::string& file, Store& store) {
    return kept_of_file(
        file, "javascript " + own_program_stamp(), store,
        [](ByteSpan content) { return scan(as_text(content)); },
        [](auto& archive, ScanResult& result) { visit_scan(archive, result); });
}

std::string stored_form(const ScanResult& result) {
    FormWriter writer;
    visit_scan(writer, result);
    return std::move(writer.bytes);
}

} // namespace omnistasis::node
