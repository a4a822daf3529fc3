#include "watch/proof_script.h"

#include "support/files.h"
#include "support/near_match.h"
#include "support/toml.h"

#include <ctime>
#include <fmt/format.h>

namespace omnistasis::watch {

bool is_point_in_time(const std::string& text) {
    std::tm time{};
    const char* end = ::strptime(text.c_str(), "%Y-%m-%d %H:%M:%S", &time);
    return end != nullptr && *end == 0;
}

namespace {

class ScriptReader {
  public:
    explicit ScriptReader(std::string file) : file_(std::move(file)) {}

    Result<std::vector<ProofRun>> read() {
        auto text = read_text(file_);
        if (!text) return pass_on(text);
        toml::parse_result parsed = toml::parse(*text, file_);
        if (!parsed) return wrong(parsed.error().source(), std::string(parsed.error().description()));
        const toml::table& root = parsed.table();
        if (root["format"].value_or(0) != 1) return wrong(root.source(), "format = 1 is expected");
        const toml::array* list = root["run"].as_array();
        if (list == nullptr || list->empty())
            return wrong(root.source(), "at least one [[run]] table is expected");
        for (const auto& [key, value] : root)
            if (key != "format" && key != "run")
                return wrong(key.source(), fmt::format("there is no key {}", key.str()));
        std::vector<ProofRun> runs;
        for (const toml::node& node : *list) {
            if (!node.is_table()) return wrong(node.source(), "a [[run]] table is expected");
            auto run = read_run(*node.as_table(), runs.size() + 1);
            if (!run) return pass_on(run);
            runs.push_back(std::move(*run));
        }
        return runs;
    }

  private:
    tl::unexpected<Error> wrong(const toml::source_region& at, std::string why) const {
        return fail(ErrorKind::bad_input, "the list of runs is not valid",
                    fmt::format("{}:{}:{}", file_, at.begin.line, at.begin.column), std::move(why),
                    "docs/proof.md describes the format");
    }

    Result<ProofRun> read_run(const toml::table& table, std::size_t number) {
        ProofRun run;
        run.name = fmt::format("run {}", number);
        for (const auto& [key, value] : table) {
            std::string_view name = key.str();
            bool fits = true;
            if (name == "name")
                fits = take(value, run.name);
            else if (name == "arguments")
                fits = take(value, run.arguments);
            else if (name == "allow")
                fits = take(value, run.allowed);
            else if (name == "input")
                fits = take(value, run.input);
            else if (name == "clock")
                fits = take(value, run.clock) && is_point_in_time(run.clock);
            else if (name == "output")
                fits = take(value, run.output.emplace());
            else if (name == "variables")
                fits = take(value, run.variables);
            else if (name == "files")
                fits = take(value, run.files);
            else if (name == "network")
                fits = take(value, run.network);
            else if (name == "display")
                fits = take(value, run.display);
            else if (name == "against_source")
                fits = take(value, run.against_source);
            else if (name == "exit_code")
                fits = take(value, run.exit_code);
            else if (name == "seconds")
                fits = take(value, run.seconds);
            else {
                auto near =
                    near_matches(std::string(name),
                                 {"name", "arguments", "allow", "input", "clock", "output", "variables",
                                  "files", "network", "display", "against_source", "exit_code", "seconds"});
                return wrong(key.source(), near.empty() ? fmt::format("there is no key {}", name)
                                                        : fmt::format("there is no key {}: did you mean {}?",
                                                                      name, near.front()));
            }
            if (!fits) return wrong(value.source(), fmt::format("{} has a value of another kind", name));
        }
        return run;
    }

    static bool take(const toml::node& node, std::string& into) {
        if (auto text = node.value<std::string>()) return into = *text, true;
        return false;
    }
    static bool take(const toml::node& node, bool& into) {
        if (!node.is_boolean()) return false;
        return into = node.as_boolean()->get(), true;
    }
    static bool take(const toml::node& node, std::optional<int>& into) {
        if (!node.is_integer()) return false;
        return into = static_cast<int>(node.as_integer()->get()), true;
    }
    static bool take(const toml::node& node, double& into) {
        auto number = node.value<double>();
        return number && *number > 0 ? (into = *number, true) : false;
    }
    static bool take(const toml::node& node, std::vector<std::string>& into) {
        const toml::array* list = node.as_array();
        if (list == nullptr) return false;
        for (const toml::node& one : *list)
            if (std::string text; take(one, text))
                into.push_back(std::move(text));
            else
                return false;
        return true;
    }
    static bool take(const toml::node& node, std::map<std::string, std::string>& into) {
        const toml::table* table = node.as_table();
        if (table == nullptr) return false;
        for (const auto& [name, value] : *table)
            if (!take(value, into[std::string(name.str())])) return false;
        return true;
    }

    std::string file_;
};

} // namespace

Result<std::vector<ProofRun>> read_proof_script(const fs::path& file) {
    return ScriptReader(file.string()).read();
}

} // namespace omnistasis::watch
