#include "cli/job.h"
#include "runtimes/lore_list.h"

#include <fmt/format.h>
#include <memory>
#include <set>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct LoreOptions {
    std::vector<std::string> files;
};

/// The first sentence of an entry's reason, on one line.
std::string short_reason(std::string text) {
    for (char& c : text)
        if (c == '\n') c = ' ';
    constexpr std::size_t most = 100;
    if (text.size() > most) text = text.substr(0, text.rfind(' ', most)) + " ...";
    return text;
}

void print_lore(const std::vector<LoreSummary>& lore) {
    for (const LoreSummary& one : lore)
        say(stdout, "{}{}\n    {}\n", styled(one.about, Style::bold, STDOUT_FILENO), one.condition,
            short_reason(one.why));
}

Result<void> run_lore(const LoreOptions& options) {
    if (options.files.empty()) {
        auto installation = build::Installation::find();
        if (!installation) return pass_on(installation);
        auto known = known_lore(installation->data);
        if (!known) return pass_on(known);
        print_lore(*known);
        return {};
    }
    for (const std::string& file : options.files) {
        auto in_file = lore_in_file(file);
        if (!in_file) return pass_on(in_file);
        print_lore(*in_file);
        std::set<std::string> subjects;
        for (const LoreSummary& one : *in_file) subjects.insert(one.about);
        say(stdout, "{} is right: lore for {}\n", file,
            subjects.size() == 1 ? "one module" : plural(subjects.size(), "module", "modules"));
    }
    return {};
}

} // namespace

void add_lore_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<LoreOptions>();
    CLI::App* command = program.add_subcommand("lore", "list the package lore, or check a file of your own");
    command
        ->add_option("FILE", options->files, "files with lore to check (default: list those that come along)")
        ->option_text(" ");
    command->footer(
        "A project takes in lore of its own by lore = [\"FILE\"] under [trace] in omnistasis.toml.\n"
        "Examples:\n"
        "  omnistasis lore\n"
        "      what is known of packages that their source does not say, and why\n"
        "  omnistasis lore our-lore.toml\n"
        "      whether a file of one's own is right, with line and column where it is not");
    command->callback([options, &exit_code] { exit_code = finish(run_lore(*options)); });
}

} // namespace omnistasis::cli
