#include "runtimes/node/scan_cache.h"

#include "support/file_hash.h"
#include "support/files.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/witness.h"

namespace omnistasis::node {

namespace {

template <typename Archive, typename Result> void visit(Archive& archive, Result& result) {
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
    Witness::saw(file);
    bool settled = false;
    std::string key =
        Store::key_of("javascript " + own_program_stamp() + file_stamp(file, &settled) + ' ' + file);
    if (auto stored = store.find(key)) {
        FormReader reader(*stored);
        ScanResult result;
        visit(reader, result);
        if (reader.complete()) return result;
    }
    auto source = MappedFile::open(file);
    if (!source) return std::nullopt;
    ScanResult result = scan(source->text());
    if (settled) store.keep(key, stored_form(result));
    return result;
}

std::string stored_form(const ScanResult& result) {
    FormWriter writer;
    visit(writer, result);
    return std::move(writer.bytes);
}

} // namespace omnistasis::node
