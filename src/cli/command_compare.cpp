#include "cli/output_files.h"
#include "report/comparison.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

using report::Comparison;
using report::Difference;

constexpr std::size_t shown_of_a_kind = 12;

struct CompareOptions {
    std::string before, after;
    bool verbose = false;
    bool json = false;
};

/// "+1.2 kB", "-30 B"
std::string change_text(std::uint64_t before, std::uint64_t after) {
    if (before == after) return "same size";
    return (after > before ? "+" : "-") + size_text(after > before ? after - before : before - after);
}

std::string line_of(const Difference& one, std::size_t width) {
    if (!one.before.empty() && !one.after.empty())
        return fmt::format("{:{}}  {} -> {}", one.name, width, one.before, one.after);
    std::string version = one.before.empty() ? one.after : one.before;
    bool has_size = one.size_before > 0 || one.size_after > 0;
    switch (one.what) {
    case Difference::What::added:
        return fmt::format("{:{}}  new{}{}", one.name, width, version.empty() ? "" : ", " + version,
                           has_size ? ", " + size_text(one.size_after) : "");
    case Difference::What::removed:
        return fmt::format("{:{}}  gone{}{}", one.name, width, version.empty() ? "" : ", it was " + version,
                           has_size ? ", it was " + size_text(one.size_before) : "");
    default:
        return fmt::format("{:{}}  {}, {}", one.name, width, size_text(one.size_after),
                           change_text(one.size_before, one.size_after));
    }
}

void print_comparison(const Comparison& found, bool verbose) {
    auto titled = [](const std::string& name, const std::string& version) {
        return version.empty() ? name : name + " " + version;
    };
    std::string before = titled(found.name_before, found.version_before);
    std::string after = titled(found.name_after, found.version_after);
    say(stdout, "{}  {} -> {}, {}\n",
        styled(before == after ? after : before + " -> " + after, Style::bold, STDOUT_FILENO),
        size_text(found.size_before), size_text(found.size_after),
        change_text(found.size_before, found.size_after));
    if (found.same) return say(stdout, "  the same, to the last byte\n");
    static const std::map<std::string, std::pair<std::string, std::string>> words{
        {"setting", {"setting", "settings"}},
        {"runtime", {"runtime", "runtimes"}},
        {"package", {"package", "packages"}},
        {"module", {"module", "modules"}},
        {"extension", {"compiled module", "compiled modules"}},
        {"library", {"native library", "native libraries"}},
        {"program", {"program", "programs"}},
        {"data", {"data file", "data files"}},
        {"file", {"other file", "other files"}}};
    for (std::size_t i = 0; i < found.differences.size();) {
        const std::string& kind = found.differences[i].kind;
        std::size_t end = i, width = 0;
        for (; end < found.differences.size() && found.differences[end].kind == kind; ++end) {
            if (verbose || end - i < shown_of_a_kind)
                width = std::max(width, found.differences[end].name.size());
        }
        auto word = words.find(kind);
        std::string one = word == words.end() ? kind : word->second.first;
        std::string many = word == words.end() ? kind : word->second.second;
        say(stdout, "  {}\n", plural(end - i, one, many));
        std::size_t shown = verbose ? end - i : std::min(end - i, shown_of_a_kind);
        for (std::size_t k = i; k < i + shown; ++k)
            say(stdout, "    {}\n", line_of(found.differences[k], width));
        if (shown < end - i) say(stdout, "    and {} more, with -v or --json\n", end - i - shown);
        i = end;
    }
    if (found.differences.empty()) say(stdout, "  made from the same parts\n");
    say(stdout, "  {} of the new one are not in the old one; `omnistasis delta make` writes what to send\n",
        size_text(found.new_bytes));
}

Result<void> run_compare(const CompareOptions& options) {
    auto old_file = PayloadFile::of(options.before);
    if (!old_file) return pass_on(old_file);
    auto new_file = PayloadFile::of(options.after);
    if (!new_file) return pass_on(new_file);
    auto before = payload::PayloadContents::open(old_file->path());
    if (!before) return pass_on(before);
    auto after = payload::PayloadContents::open(new_file->path());
    if (!after) return pass_on(after);
    auto found = report::compare(*before, *after);
    if (!found) return pass_on(found);
    if (options.json)
        say(stdout, "{}", report::comparison_json(*found));
    else
        print_comparison(*found, options.verbose);
    return {};
}

} // namespace

void add_compare_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<CompareOptions>();
    CLI::App* command = program.add_subcommand("compare", "tell what changed from one output to another");
    command->add_option("OLD", options->before, "an output")->required()->option_text(" ");
    command->add_option("NEW", options->after, "another, of the same application")
        ->required()
        ->option_text(" ");
    command->add_flag("-v,--verbose", options->verbose, "print everything");
    command->add_flag("--json", options->json, "print the result as one JSON object");
    command->footer("Examples:\n"
                    "  omnistasis compare old/tides out/linux-x86_64/tides\n"
                    "      modules, libraries, versions, data and sizes that changed\n"
                    "  omnistasis compare --json old/tides out/linux-x86_64/tides\n"
                    "      the same for a script");
    command->callback([options, &exit_code] { exit_code = finish(run_compare(*options)); });
}

} // namespace omnistasis::cli
