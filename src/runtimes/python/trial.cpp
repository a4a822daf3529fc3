#include "runtimes/python/trial.h"

#include "support/confinement.h"
#include "support/json.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/subprocess.h"

#include <fmt/format.h>

namespace omnistasis::python {

namespace {

constexpr double most_seconds = 120;
constexpr std::uint64_t most_output = 64u << 20;

template <typename Archive, typename T> void visit_trial(Archive& archive, T& trial) {
    visit_list(archive, trial.records, [](auto& into, auto& record) {
        into.value(record.module);
        into.value(record.error);
        visit_list(into, record.loaded, [](auto& inner, auto& one) {
            inner.value(one.first);
            inner.value(one.second);
        });
        for (auto* list : {&record.opened, &record.libraries})
            visit_list(into, *list, [](auto& inner, auto& one) { inner.value(one); });
    });
    archive.value(trial.ended);
}

TrialRecord read_record(const Json& line) {
    TrialRecord record;
    auto text = [](const Json& value) {
        return value.is_string() ? value.get<std::string>() : std::string();
    };
    record.module = text(line["module"]);
    record.error = text(line["error"]);
    for (const Json& one : line["loaded"])
        if (one.is_array() && one.size() == 2) record.loaded.emplace_back(text(one[0]), text(one[1]));
    for (const Json& one : line["opened"]) record.opened.push_back(text(one));
    for (const Json& one : line["libraries"]) record.libraries.push_back(text(one));
    return record;
}

} // namespace

Result<Trial> try_imports(const Facts& facts, const std::vector<std::string>& search_path,
                          const std::vector<std::string>& modules, const std::string& key,
                          const std::filesystem::path& helpers, Store& store) {
    std::string store_key = Store::key_of(fmt::format("trial {} {} {}\n{}", own_program_stamp(), facts.magic,
                                                      fmt::join(search_path, ":"), key));
    Trial trial;
    if (auto kept = store.find(store_key)) {
        FormReader reader(*kept);
        visit_trial(reader, trial);
        if (reader.complete()) return trial;
        trial = {};
    }
    if (auto possible = check_confinement(); !possible) return tl::make_unexpected(possible.error());
    auto scratch = StagingFolder::make(fs::temp_directory_path(), "omnistasis-trial");
    if (!scratch) return tl::make_unexpected(scratch.error());
    Json task{{"path", search_path}, {"modules", modules}};
    std::vector<std::string> command{facts.executable, "-E", "-s", "-B", (helpers / "trial.py").string()};
    auto ran = run_program(confined(command, scratch->path(), {{"PATH", "/nowhere"}, {"LANG", "C.UTF-8"}}),
                           json_line(task), {most_seconds, most_output, 0, {}});
    if (!ran) return tl::make_unexpected(ran.error());
    std::string_view rest = ran->out;
    while (!rest.empty()) {
        std::string_view line = rest.substr(0, rest.find('\n'));
        rest.remove_prefix(std::min(line.size() + 1, rest.size()));
        auto parsed = parse_json(line);
        if (parsed.is_object()) trial.records.push_back(read_record(parsed));
    }
    if (trial.records.size() < modules.size())
        trial.ended = ran->timed_out ? fmt::format("it took more than {} seconds", most_seconds)
                                     : fmt::format("it ended with exit code {}", ran->exit_code);
    FormWriter writer;
    visit_trial(writer, trial);
    store.keep(store_key, std::move(writer.bytes));
    return trial;
}

} // namespace omnistasis::python
