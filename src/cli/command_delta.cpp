#include "cli/job.h"
#include "dress/opened_bundle.h"
#include "payload/delta.h"

#include <fmt/format.h>
#include <memory>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

struct DeltaOptions {
    std::string first, second; ///< OLD and NEW, or OUTPUT and DELTA
    std::string out;
};

std::string titled(const std::string& name, const std::string& version) {
    return version.empty() ? name : name + " " + version;
}

std::string percent(std::uint64_t part, std::uint64_t whole) {
    return fmt::format("{:.1f} %",
                       whole == 0 ? 0.0 : 100.0 * static_cast<double>(part) / static_cast<double>(whole));
}

/// The executable of an output that deltas may change.
Result<fs::path> changeable(const std::string& named) {
    fs::path path = fs::absolute(named).lexically_normal();
    if (dress::is_bundle(path))
        return fail(ErrorKind::bad_input, "there are no deltas for a bundle", named,
                    "its system's signature, which only its publisher makes, covers all of it",
                    "hand the new bundle over as a whole");
    return payload::executable_of(path);
}

Result<void> run_make(const DeltaOptions& options) {
    auto base = changeable(options.first);
    if (!base) return pass_on(base);
    auto result = changeable(options.second);
    if (!result) return pass_on(result);
    fs::path file = fs::absolute(options.out).lexically_normal();
    if (is_folder(file))
        return fail(ErrorKind::bad_input, "a folder is in the way of the delta", file.string());
    auto made = payload::make_delta(*base, *result, file);
    if (!made) return pass_on(made);
    std::uint64_t size = fs::file_size(file);
    say(stdout, "{}  {}\n", styled(shown_path(file.string()), Style::bold, STDOUT_FILENO), size_text(size));
    say(stdout, "  leads from {} to {}, {} of {}\n", titled(made->base_name, made->base_version),
        titled(made->result_name, made->result_version), percent(size, made->result_size),
        size_text(made->result_size));
    return {};
}

Result<void> run_apply(const DeltaOptions& options) {
    auto base = changeable(options.first);
    if (!base) return pass_on(base);
    fs::path to = options.out.empty() ? fs::path() : fs::absolute(options.out).lexically_normal();
    auto applied = payload::apply_delta(*base, fs::absolute(options.second).lexically_normal(), to);
    if (!applied) return pass_on(applied);
    std::string title = titled(applied->summary.result_name, applied->summary.result_version);
    std::string place = shown_path(applied->output.string());
    if (applied->was_there)
        say(stdout, "{} is {} already\n", place, title);
    else
        say(stdout, "{} is {} now, checked to the last byte\n", styled(place, Style::bold, STDOUT_FILENO),
            title);
    return {};
}

} // namespace

void add_delta_command(CLI::App& program, int& exit_code) {
    auto options = std::make_shared<DeltaOptions>();
    CLI::App* command =
        program.add_subcommand("delta", "make or apply what turns an old output into a new one");
    command->require_subcommand(1);
    CLI::App* make = command->add_subcommand("make", "write a file that turns OLD into NEW");
    make->add_option("OLD", options->first, "the output that the users have")->required()->option_text(" ");
    make->add_option("NEW", options->second, "the output that they shall have")->required()->option_text(" ");
    make->add_option("-o,--out", options->out, "the file to write")->required()->option_text("FILE");
    make->footer("Example:\n  omnistasis delta make old/tides out/linux-x86_64/tides -o tides-1.5.delta");
    make->callback([options, &exit_code] { exit_code = finish(run_make(*options)); });
    CLI::App* apply =
        command->add_subcommand("apply", "turn an old output into the new one, at once or not at all");
    apply->add_option("OUTPUT", options->first, "the output to change")->required()->option_text(" ");
    apply->add_option("DELTA", options->second, "the file that `delta make` wrote")
        ->required()
        ->option_text(" ");
    apply->add_option("-o,--out", options->out, "put the new one here, and leave the old one as it is")
        ->option_text("PATH");
    apply->footer("Example:\n  omnistasis delta apply tides tides-1.5.delta");
    apply->callback([options, &exit_code] { exit_code = finish(run_apply(*options)); });
    command->footer("Examples:\n"
                    "  omnistasis delta make old/tides out/linux-x86_64/tides -o tides-1.5.delta\n"
                    "      what the users of the old one need, to be sent to them\n"
                    "  omnistasis delta apply tides tides-1.5.delta\n"
                    "      on their side");
}

} // namespace omnistasis::cli
