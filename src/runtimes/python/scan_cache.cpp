#include "runtimes/python/scan_cache.h"

#include "support/kept_of_file.h"
#include "support/stored_form.h"

namespace omnistasis::python {

namespace {

/// Every field of a result, in one order for writing and reading.
template <typename Archive, typename Result> void visit_scan(Archive& archive, Result& result) {
    visit_list(archive, result.requests, [](auto& into, auto& request) {
        into.value(request.kind);
        into.value(request.certainty);
        into.value(request.computed);
        into.value(request.line);
        into.value(request.level);
        into.value(request.module);
        into.value(request.name);
        into.value(request.instead_of_first);
        into.value(request.instead_of_last);
        into.value(request.taken_names);
    });
    for (auto* numbers : {&result.unknown_imports, &result.names_taken})
        visit_list(archive, *numbers, [](auto& into, auto& number) { into.value(number); });
    for (auto* strings :
         {&result.import_suffixes, &result.dotted_strings, &result.path_strings, &result.system_paths,
          &result.distributions, &result.codecs, &result.watched, &result.entry_point_groups,
          &result.opened_paths, &result.search_path, &result.libraries, &result.code_strings,
          &result.listed_words, &result.programs, &result.library_versions, &result.written_paths,
          &result.file_paths, &result.resource_packages, &result.registered})
        visit_list(archive, *strings, [](auto& into, auto& string) {
            into.value(string.text);
            into.value(string.line);
        });
    for (auto* number : {&result.computed_codec, &result.asks_for_source, &result.computed_library,
                         &result.runs_sources, &result.runs_files, &result.searches_path})
        archive.value(*number);
    for (auto* flag : {&result.lists_folders, &result.changes_folder, &result.names_own_file,
                       &result.imports_by_name, &result.makes_modules, &result.restarts_itself,
                       &result.reads_stubs, &result.asks_for_computed_group})
        archive.value(*flag);
}

} // namespace

std::string stored_form(const ScanResult& result) {
    FormWriter writer;
    visit_scan(writer, result);
    return std::move(writer.bytes);
}

std::optional<ScanResult> from_stored_form(std::string_view bytes) {
    FormReader reader(bytes);
    ScanResult result;
    visit_scan(reader, result);
    if (!reader.complete()) return std::nullopt;
    return result;
}

ScanCache::ScanCache(std::string settings, std::shared_ptr<Store> store)
    : settings_(hex(sha256(settings)).substr(0, 16)), store_(std::move(store)) {}

std::optional<ScanResult> ScanCache::scan_file(const std::string& file, const std::string& own_name,
                                               const std::string& package, const ScanFacts& facts) {
    std::string work = settings_;
    for (const std::string* text : {&own_name, &package}) {
        work += '\0';
        work += *text;
    }
    work += facts.keeps_strings ? 'k' : '-';
    work += facts.is_main ? 'm' : '-';
    work += facts.is_own ? 'w' : '-';
    if (facts.is_own && facts.known_programs != nullptr)
        for (const std::string& program : *facts.known_programs) work += ' ' + program;
    return kept_of_file(
        file, work, *store_,
        [&](ByteSpan content) { return scan(as_text(content), own_name, package, facts); },
        [](auto& archive, ScanResult& result) { visit_scan(archive, result); });
}

} // namespace omnistasis::python
