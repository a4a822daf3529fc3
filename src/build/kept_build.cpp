#include "build/kept_build.h"

#include "support/hash.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "trace/capabilities.h"

#include <algorithm>

namespace omnistasis::build {

namespace {

using Group = std::pair<std::string, payload::GroupSize>;

template <typename Archive, typename Made, typename Files>
void visit(Archive& archive, Made& result, std::string& output, std::string& output_folder, Files& files) {
    for (auto* text : {&output, &output_folder}) archive.value(*text);
    for (auto* text : {&result.target, &result.runtime}) archive.value(*text);
    for (auto* size : {&result.size, &result.tree_size, &result.stripped_bytes}) archive.value(*size);
    for (auto* count :
         {&result.tree_files, &result.modules, &result.libraries, &result.data_files, &result.stripped_files})
        archive.value(*count);
    for (auto* size : {&result.payload.raw, &result.payload.stored}) archive.value(*size);
    std::vector<Group> groups(result.payload.groups.begin(), result.payload.groups.end());
    visit_list(archive, groups, [](auto& into, auto& one) {
        into.value(one.first);
        into.value(one.second.raw);
        into.value(one.second.stored);
    });
    if constexpr (!std::is_const_v<Made>) result.payload.groups = {groups.begin(), groups.end()};
    visit_list(archive, result.largest, [](auto& into, auto& one) {
        into.value(one.name);
        into.value(one.alone);
        into.value(one.saves);
        into.value(one.needed);
        into.value(one.own);
    });
    visit_list(archive, result.remarks, [](auto& into, auto& remark) { into.value(remark); });
    visit_list(archive, files, [](auto& into, auto& file) {
        into.value(file.first);
        into.value(file.second);
    });
}

template <typename Archive, typename Reading> void visit(Archive& archive, Reading& reading) {
    for (auto* map : {&reading.sources, &reading.folders}) {
        std::vector<std::pair<std::string, std::string>> list(map->begin(), map->end());
        visit_list(archive, list, [](auto& into, auto& one) {
            into.value(one.first);
            into.value(one.second);
        });
        if constexpr (!std::is_const_v<Reading>) *map = {list.begin(), list.end()};
    }
    archive.value(reading.learned);
    archive.value(reading.review);
}

/// Of the names in a folder, and of what kind each is.
std::string names_in(const std::string& folder) {
    std::string names;
    for (const FolderEntry& entry : list_folder(folder)) {
        names += entry.is_folder ? 'd' : 'f';
        names += entry.name + '\0';
    }
    Sha256 hash = sha256(names);
    return {hash.begin(), hash.end()};
}

} // namespace

KeptBuild::Reading KeptBuild::read(trace::Runtime& runtime, const trace::Graph& graph) {
    Reading reading;
    auto* caches = trace::as<trace::CachesTraces>(runtime);
    if (caches == nullptr) return reading;
    for (const trace::Unit& unit : graph.units) {
        if (!unit.own || !trace::is_source(unit.kind)) continue;
        std::string read = caches->reading_of(unit);
        if (read.empty()) continue;
        reading.sources[unit.file] = std::move(read);
        std::string folder = fs::path(unit.file).parent_path().string();
        auto [entry, is_new] = reading.folders.try_emplace(folder);
        if (is_new) entry->second = names_in(folder);
    }
    reading.learned = caches->learned();
    return reading;
}

void KeptBuild::look() {
    found_ = kept_.find_with_changes();
    if (!found_) return;
    FormReader reader(found_->form);
    std::string output, output_folder;
    reader.value(traced_);
    visit(reader, reading_);
    visit(reader, made_.result, output, output_folder, files_);
    made_.result.output = output;
    made_.result.output_folder = output_folder;
    if (!reader.complete() || files_.empty()) found_.reset();
}

std::optional<KeptBuild::Made> KeptBuild::find() {
    if (!found_ || !found_->changed.empty()) return std::nullopt;
    bool as_made =
        std::ranges::all_of(files_, [](const auto& file) { return file_stamp(file.first) == file.second; });
    auto traced = as_made ? trace::traced_from_stored_form(traced_) : std::nullopt;
    if (!traced) return std::nullopt;
    return Made{std::move(*traced), made_.result};
}

bool KeptBuild::only_sources_changed() const {
    return found_ && std::ranges::all_of(found_->changed, [&](const std::string& path) {
               auto folder = reading_.folders.find(path);
               return reading_.sources.contains(path) ||
                      (folder != reading_.folders.end() && names_in(path) == folder->second);
           });
}

std::optional<trace::Traced> KeptBuild::trace_again_for(trace::Runtime& runtime) {
    auto traced = trace::traced_from_stored_form(traced_);
    auto* caches = trace::as<trace::CachesTraces>(runtime);
    if (!traced || caches == nullptr || !caches->relearn(reading_.learned)) return std::nullopt;
    for (const trace::Unit& unit : traced->graph.units) {
        bool changed =
            unit.own && trace::is_source(unit.kind) && std::ranges::binary_search(found_->changed, unit.file);
        if (changed && caches->reading_of(unit) != reading_.sources[unit.file]) return std::nullopt;
    }
    Witness::saw_all_of(found_->testimony);
    return traced;
}

void KeptBuild::keep(const Made& made, const Reading& reading, const fs::path& also, const Witness& witness) {
    std::vector<std::pair<std::string, std::string>> files{{also.string(), file_stamp(also.string())}};
    auto add = [&](const fs::path& file) { files.emplace_back(file.string(), file_stamp(file.string())); };
    if (made.result.output_folder.empty())
        add(made.result.output);
    else
        each_entry_below(made.result.output_folder,
                         [&](const fs::directory_entry& entry) { add(entry.path()); });
    FormWriter writer;
    std::string output = made.result.output.string(), output_folder = made.result.output_folder.string();
    writer.value(trace::stored_form(made.traced.graph, made.traced.runtime));
    visit(writer, reading);
    visit(writer, made.result, output, output_folder, files);
    kept_.keep(std::move(writer.bytes), witness);
}

} // namespace omnistasis::build
