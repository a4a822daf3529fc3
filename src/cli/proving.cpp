#include "cli/proving.h"

#include "build/output_place.h"
#include "dress/opened_bundle.h"
#include "report/proof_json.h"
#include "support/target_info.h"
#include "watch/proof_script.h"
#include "watch/structure.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <map>
#include <optional>
#include <set>
#include <unistd.h>

namespace omnistasis::cli {

namespace {

constexpr std::size_t most_rows = 20;

/// What a finding is, as a heading for those of its kind.
std::string heading(watch::FindingKind kind) {
    static const std::map<watch::FindingKind, std::string> headings{
        {watch::FindingKind::missing_file, "files that it looked for, and that this machine has"},
        {watch::FindingKind::missing_module, "modules that it looked for, and that this machine has"},
        {watch::FindingKind::missing_library, "libraries that it looked for, and that this machine has"},
        {watch::FindingKind::missing_program, "programs that it tried to start"},
        {watch::FindingKind::outside_read, "files that it read from outside"},
        {watch::FindingKind::written_file, "files that it wrote"},
        {watch::FindingKind::wrong_file, "files that are not as the system wants them"},
        {watch::FindingKind::left_behind, "processes that it left behind"},
    };
    auto found = headings.find(kind);
    return found == headings.end() ? "" : found->second;
}

void print_findings(const watch::Proof& proof) {
    std::optional<watch::FindingKind> last;
    std::size_t rows = 0;
    for (const watch::ProofFinding& finding : proof.findings) {
        std::string title = heading(finding.kind);
        if (finding.kind != last) rows = 0;
        if (++rows > most_rows) continue;
        if (title.empty()) {
            say(stdout, "  {}  {}\n",
                styled(finding.fails ? "differs" : "note", finding.fails ? Style::error : Style::bold,
                       STDOUT_FILENO),
                finding.what);
        } else {
            if (finding.kind != last) say(stdout, "  {}\n", styled(title, Style::bold, STDOUT_FILENO));
            say(stdout, "    {}  {}\n",
                finding.fails ? styled("needed", Style::error, STDOUT_FILENO) : "note  ", finding.what);
        }
        last = finding.kind;
        if (!finding.from.empty()) say(stdout, "            asked for at {}\n", shown_path(finding.from));
        if (!finding.found.empty() && finding.found != finding.what)
            say(stdout, "            here it is {}\n", shown_path(finding.found));
        if (!finding.advice.empty()) say(stdout, "            {}\n", finding.advice);
    }
}

void print_proof(const watch::Proof& proof, const std::string& program, bool verbose) {
    std::string verdict = proof.holds() ? styled("holds", Style::bold, STDOUT_FILENO)
                                        : styled("does not hold", Style::error, STDOUT_FILENO);
    say(stdout, "{}: {}  {}{}{}\n", proof.name, verdict, program, proof.arguments.empty() ? "" : " ",
        fmt::join(proof.arguments, " "));
    if (!proof.by.empty()) say(stdout, "  by {}: {}\n", proof.by, proof.limits);
    if (proof.name == watch::structure_run) {
        say(stdout, "  {} looked at in {:.2f} s; {} of the system are asked for\n",
            plural(proof.tree_files, "file", "files"), proof.seconds,
            plural(proof.host_libraries.size(), "library", "libraries"));
        print_findings(proof);
        if (verbose) say(stdout, "  from the system: {}\n", fmt::join(proof.host_libraries, " "));
        return;
    }
    std::string end = proof.window.empty()      ? fmt::format("exit code {}", proof.exit_code)
                      : proof.window == "none"  ? std::string("no window")
                      : proof.window == "blank" ? std::string("a blank window")
                                                : fmt::format("a window of {}", proof.window);
    say(stdout, "  {} after {:.2f} s in a root with nothing but {}{}\n", end, proof.seconds,
        proof.host_libraries.empty()
            ? "its own files"
            : fmt::format("{} of the system", plural(proof.host_libraries.size(), "library", "libraries")),
        proof.compared ? "; compared with the source" : "");
    if (!proof.blind.empty()) say(stdout, "  it ran, but was not watched: {}\n", proof.blind);
    print_findings(proof);
    if (proof.tree_files > 0) {
        std::uint64_t idle = 0;
        for (const auto& [place, size] : proof.untouched) idle += size;
        say(stdout, "  {} of {} shipped files were not touched, {} of {}\n", proof.untouched.size(),
            proof.tree_files, size_text(idle), size_text(proof.tree_size));
        if (verbose)
            for (const auto& [place, size] : proof.untouched)
                say(stdout, "    {:>8}  {}\n", size_text(size), place);
    }
    if (verbose) {
        say(stdout, "  from the system: {}\n", fmt::join(proof.host_libraries, " "));
        if (!proof.system_files.empty())
            say(stdout, "  the system's own files that it looked for: {}\n",
                fmt::join(proof.system_files, " "));
        if (!proof.programs.empty())
            say(stdout, "  programs that it started: {}\n", fmt::join(proof.programs, " "));
    }
}

/// Folders of this machine that files of an output come from: none of them may be named in it.
std::vector<std::string> folders_of_this_machine(const watch::ProofSubject& subject) {
    std::set<std::string> folders;
    if (subject.project != nullptr) folders.insert(subject.project->folder.string());
    for (std::size_t i = 0; subject.graph != nullptr && i < subject.graph->units.size(); ++i) {
        const trace::Unit& unit = subject.graph->units[i];
        std::string ending = "/" + unit.place;
        if (!unit.place.empty() && unit.file.ends_with(ending))
            folders.insert(unit.file.substr(0, unit.file.size() - ending.size()));
    }
    // Short ones stand in texts of everybody.
    constexpr std::size_t shortest = 8;
    std::erase_if(folders, [](const std::string& folder) { return folder.size() < shortest; });
    return {folders.begin(), folders.end()};
}

} // namespace

fs::path proof_script_of(const Project& project) { return project.folder / (project.name + ".proof.toml"); }

Result<void> prove_and_print(const watch::ProofSubject& subject, const std::vector<watch::ProofRun>& runs,
                             const fs::path& folder, const std::string& name, const JobOptions& options) {
    std::vector<watch::Proof> proofs;
    // A folder that is somebody else's stays as it is.
    bool kept = build::OutputPlace::holds_outputs(folder);
    bool by_structure = dress::is_bundle(subject.output);
    // There is one structure, however it would be run.
    for (watch::ProofRun run : by_structure ? std::vector<watch::ProofRun>(1) : runs) {
        if (run.display && run.picture.empty())
            run.picture = (kept ? folder : fs::current_path()) /
                          (fs::path(subject.program).stem().string() + "-window.png");
        auto proof = by_structure ? watch::prove_structure(subject, folders_of_this_machine(subject))
                                  : watch::prove(subject, run);
        if (!proof) return pass_on(proof);
        proofs.push_back(std::move(*proof));
        if (!options.quiet && !options.json) {
            print_proof(proofs.back(), subject.program, options.verbose);
            if (run.display && is_file(run.picture))
                say(stdout, "  its picture: {}\n", shown_path(run.picture.string()));
            std::fflush(stdout);
        }
    }
    std::string text = report::proof_json(subject.program, proofs);
    std::string told =
        "the record is not kept: the output is in a folder that Omnistasis did not make; --json prints it";
    if (kept) {
        auto file = write_beside_output(folder, record_name(name, "proof"), text);
        if (!file) return pass_on(file);
        told = (options.quiet ? "" : "all of it: ") + shown_path(file->string());
    }
    if (options.json)
        say(stdout, "{}", text);
    else if (kept || !options.quiet)
        say(stdout, "{}\n", told);
    auto failed = std::ranges::count_if(proofs, [](const watch::Proof& proof) { return !proof.holds(); });
    if (failed == 0) return {};
    return fail(ErrorKind::refused, "the proof does not hold", shown_path(subject.output.string()),
                proofs.size() == 1 ? "" : fmt::format("{} of {} runs", failed, proofs.size()),
                "settle each of the things that it names; what is all right is said with --allow");
}

Result<void> prove_job(const Job& job, const fs::path& output, const JobOptions& options) {
    std::vector<watch::ProofRun> runs(1);
    if (fs::path script = proof_script_of(job.project); is_file(script)) {
        auto read = watch::read_proof_script(script);
        if (!read) return pass_on(read);
        runs = std::move(*read);
    }
    const std::string& target = job.project.targets.front();
    watch::ProofSubject subject{output,
                                job.project.name + find_target(target)->program_ending,
                                target,
                                job.installation.data,
                                &*job.host,
                                &job.project,
                                job.runtime.get(),
                                &job.graph};
    return prove_and_print(subject, runs, job.project.output_folder(target), job.project.name, options);
}

} // namespace omnistasis::cli
