#include "cli/job.h"
#include "runtimes/python/notes.h"

#include <fmt/format.h>
#include <map>
#include <memory>
#include <set>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct NotesOptions {
    std::vector<std::string> files;
};

/// The first sentence of a note's reason, on one line.
std::string short_reason(std::string text) {
    for (char& c : text)
        if (c == '\n') c = ' ';
    constexpr std::size_t most = 100;
    if (text.size() > most) text = text.substr(0, text.rfind(' ', most)) + " ...";
    return text;
}

void print_notes(const python::Notes& notes) {
    for (const auto& [module, note] : notes) {
        std::string condition;
        for (const auto& [distribution, versions] : note.versions)
            condition += fmt::format(" ({} {})", distribution, versions);
        std::string of = module == "*"           ? "* (modules of packages)"
                         : module == "*standard" ? "* (modules of the standard library)"
                                                 : module;
        fmt::print("{}{}\n    {}\n", styled(of, Style::bold, STDOUT_FILENO), condition,
                   short_reason(note.why));
    }
}

Result<void> run_notes(const NotesOptions& options) {
    if (options.files.empty()) {
        auto installation = build::Installation::find();
        if (!installation) return tl::make_unexpected(installation.error());
        auto own = python::read_notes(installation->data / "notes/python");
        if (!own) return tl::make_unexpected(own.error());
        print_notes(*own);
        return {};
    }
    for (const std::string& file : options.files) {
        python::Notes in_file;
        if (auto read = python::read_note_file(file, in_file); !read) return read;
        print_notes(in_file);
        std::set<std::string> modules;
        for (const auto& [module, note] : in_file) modules.insert(module);
        fmt::print("{} is right: notes for {}\n", file,
                   modules.size() == 1 ? "one module" : fmt::format("{} modules", modules.size()));
    }
    return {};
}

} // namespace

void add_notes_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<NotesOptions>();
    CLI::App* command =
        program.add_subcommand("notes", "list the package notes, or check a file of your own");
    command
        ->add_option("FILE", options->files,
                     "files with notes to check (default: list those that come along)")
        ->option_text(" ");
    command->footer(
        "A project takes in notes of its own by notes = [\"FILE\"] under [trace] in omnistasis.toml.\n"
        "Examples:\n"
        "  omnistasis notes\n"
        "      what is known of packages that their source does not say, and why\n"
        "  omnistasis notes our-notes.toml\n"
        "      whether a file of one's own is right, with line and column where it is not");
    command->callback([options, &exit_code] { exit_code = finish(run_notes(*options)); });
}

} // namespace omnistasis::cli
