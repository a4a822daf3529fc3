#include "watch/rehearsal.h"

#include "support/files.h"
#include "support/subprocess.h"
#include "watch/call_log.h"

#include <algorithm>

namespace omnistasis::watch {

namespace {

/// What a rehearsal wants to know of it: only regular files that are there.
SeenFiles seen_files(const Calls& calls) {
    SeenFiles seen;
    for (const std::string& file : calls.opened) {
        std::error_code ignored;
        if (fs::is_regular_file(file, ignored)) seen.read.insert(file);
    }
    seen.written = calls.written;
    seen.programs = calls.programs;
    return seen;
}

} // namespace

Result<Rehearsal> run_watched(const std::vector<std::string>& command, const std::filesystem::path& folder,
                              const std::map<std::string, std::string>& variables,
                              const std::filesystem::path& scratch) {
    Rehearsal rehearsal;
    rehearsal.blind = why_blind();
    std::vector<std::string> watched;
    fs::path log = scratch / "calls";
    if (rehearsal.blind.empty()) {
        watched = call_log_options(false);
        watched.insert(watched.end(), {log.string(), "-z", "--"});
    }
    watched.insert(watched.end(), command.begin(), command.end());
    auto exit_code = run_in_foreground(watched, variables, folder);
    if (!exit_code) return pass_on(exit_code);
    rehearsal.exit_code = *exit_code;
    if (auto text = MappedFile::open(log)) rehearsal.files = seen_files(read_call_log(text->text(), ""));
    return rehearsal;
}

} // namespace omnistasis::watch
