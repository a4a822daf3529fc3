#include "cli/job.h"
#include "runtimes/python/lore.h"

#include <fmt/format.h>
#include <map>
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

void print_lore(const python::Lore& lore) {
    for (const auto& [module, entry] : lore) {
        std::string condition;
        for (const auto& [distribution, versions] : entry.versions)
            condition += fmt::format(" ({} {})", distribution, versions);
        std::string of = module == "*"           ? "* (modules of packages)"
                         : module == "*standard" ? "* (modules of the standard library)"
                                                 : module;
        fmt::print("{}{}\n    {}\n", styled(of, Style::bold, STDOUT_FILENO), condition,
                   short_reason(entry.why));
    }
}

Result<void> run_lore(const LoreOptions& options) {
    if (options.files.empty()) {
        auto installation = build::Installation::find();
        if (!installation) return pass_on(installation);
        auto own = python::read_lore(installation->data / "lore/python");
        if (!own) return pass_on(own);
        print_lore(*own);
        return {};
    }
    for (const std::string& file : options.files) {
        python::Lore in_file;
        if (auto read = python::read_lore_file(file, in_file); !read) return read;
        print_lore(in_file);
        std::set<std::string> modules;
        for (const auto& [module, entry] : in_file) modules.insert(module);
        fmt::print("{} is right: lore for {}\n", file,
                   modules.size() == 1 ? "one module" : fmt::format("{} modules", modules.size()));
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
