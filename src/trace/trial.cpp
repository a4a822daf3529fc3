#include "trace/trial.h"

#include "support/confinement.h"
#include "support/files.h"
#include "support/json_field.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/subprocess.h"

#include <algorithm>
#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

namespace omnistasis::trace {

namespace {

constexpr double most_seconds = 120;
constexpr std::uint64_t most_output = 64u << 20;

template <typename Archive, typename T> void visit_trial(Archive& archive, T& trial) {
    visit_list(archive, trial.records, [](auto& into, auto& record) {
        into.value(record.module);
        into.value(record.error);
        visit_list(into, record.loaded, [](auto& inner, auto& one) {
            inner.value(one.name);
            inner.value(one.file);
            inner.value(one.by);
        });
        for (auto* list : {&record.opened, &record.libraries})
            visit_list(into, *list, [](auto& inner, auto& one) { inner.value(one); });
    });
    archive.value(trial.ended);
}

std::string text_of(const Json& value) {
    return value.is_string() ? value.get<std::string>() : std::string();
}

/// Whatever stands on a line: what a module prints may look like an answer.
TrialRecord read_record(const Json& line) {
    TrialRecord record;
    record.module = field_or(line, "module", "");
    record.error = field_or(line, "error", "");
    for (const Json& one : field_or(line, "loaded", Json::array()))
        if (one.is_array() && one.size() >= 2)
            record.loaded.push_back(
                {text_of(one[0]), text_of(one[1]), one.size() > 2 ? text_of(one[2]) : ""});
    for (const Json& one : field_or(line, "opened", Json::array())) record.opened.push_back(text_of(one));
    for (const Json& one : field_or(line, "libraries", Json::array()))
        record.libraries.push_back(text_of(one));
    return record;
}

Result<Trial> answer_of(const TrialQuestion& question, Store& store) {
    std::string store_key = Store::key_of(
        fmt::format("trial {} {}\n{}", own_program_stamp(), json_line(question.task), question.key));
    Trial trial;
    if (auto kept = store.find(store_key)) {
        FormReader reader(*kept);
        visit_trial(reader, trial);
        if (reader.complete()) return trial;
        trial = {};
    }
    if (auto possible = check_confinement(); !possible) return pass_on(possible);
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "omnistasis-trial");
    if (!scratch) return pass_on(scratch);
    Json task = question.task;
    task["modules"] = question.modules;
    auto ran =
        run_program(confined(question.command, scratch->path(), {{"PATH", "/nowhere"}, {"LANG", "C.UTF-8"}}),
                    json_line(task), {most_seconds, most_output, 0, {}});
    if (!ran) return pass_on(ran);
    std::string_view rest = ran->out;
    while (!rest.empty()) {
        std::string_view line = rest.substr(0, rest.find('\n'));
        rest.remove_prefix(std::min(line.size() + 1, rest.size()));
        auto parsed = parse_json(line);
        if (parsed.is_object()) trial.records.push_back(read_record(parsed));
    }
    if (trial.records.size() < question.modules.size())
        trial.ended = ran->timed_out ? fmt::format("it took more than {} seconds", most_seconds)
                                     : fmt::format("it ended with exit code {}", ran->exit_code);
    FormWriter writer;
    visit_trial(writer, trial);
    store.keep(store_key, std::move(writer.bytes));
    return trial;
}

} // namespace

std::vector<Result<Trial>> try_modules(const std::vector<TrialQuestion>& questions, Store& store) {
    std::vector<Result<Trial>> answers(questions.size());
    oneapi::tbb::parallel_for(std::size_t(0), questions.size(),
                              [&](std::size_t i) { answers[i] = answer_of(questions[i], store); });
    return answers;
}

LooseEnd packages_not_asked(const std::string& trouble, const std::string& runtime) {
    return {
        .kind = "packages-not-asked",
        .what = "packages could not be imported on trial (" + trouble + ")",
        .file = runtime,
        .line = 0,
        .effect = "what packages load without saying so in their source may be missing",
        .advice =
            "allow it, or run the application with `omnistasis rehearse` and say --without trial-imports"};
}

} // namespace omnistasis::trace
