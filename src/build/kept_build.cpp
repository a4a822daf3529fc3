#include "build/kept_build.h"

#include "support/own_program.h"
#include "support/stored_form.h"

#include <algorithm>

namespace omnistasis::build {

namespace {

/// A file of what was made, and the stamp by which it is known.
struct MadeFile {
    std::string path;
    std::string stamp;
};

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
        into.value(file.path);
        into.value(file.stamp);
    });
}

} // namespace

std::optional<KeptBuild::Made> KeptBuild::find() {
    auto form = kept_.find();
    if (!form) return std::nullopt;
    FormReader reader(*form);
    Made made;
    std::string traced, output, output_folder;
    std::vector<MadeFile> files;
    reader.value(traced);
    visit(reader, made.result, output, output_folder, files);
    bool as_made =
        reader.complete() && !files.empty() &&
        std::ranges::all_of(files, [](const MadeFile& file) { return file_stamp(file.path) == file.stamp; });
    if (!as_made) return std::nullopt;
    auto of_trace = trace::traced_from_stored_form(traced);
    if (!of_trace) return std::nullopt;
    made.traced = std::move(*of_trace);
    made.result.output = output;
    made.result.output_folder = output_folder;
    return made;
}

void KeptBuild::keep(const Made& made, const fs::path& also, const Witness& witness) {
    std::vector<MadeFile> files{{also.string(), file_stamp(also.string())}};
    auto add = [&](const fs::path& file) { files.push_back({file.string(), file_stamp(file.string())}); };
    if (made.result.output_folder.empty())
        add(made.result.output);
    else
        each_entry_below(made.result.output_folder,
                         [&](const fs::directory_entry& entry) { add(entry.path()); });
    FormWriter writer;
    std::string output = made.result.output.string(), output_folder = made.result.output_folder.string();
    writer.value(trace::stored_form(made.traced));
    visit(writer, made.result, output, output_folder, files);
    kept_.keep(std::move(writer.bytes), witness);
}

} // namespace omnistasis::build
