#include "watch/emulation.h"

#include "support/files.h"
#include "support/subprocess.h"
#include "support/target_info.h"

#include <fmt/format.h>

namespace omnistasis::watch {

Result<std::unique_ptr<Emulation>> emulation_for(const std::string& target, Emulated what) {
    const TargetInfo* info = find_target(target);
    std::string runner = info == nullptr ? std::string() : info->runner;
    if (runner.empty())
        return fail(ErrorKind::missing, fmt::format("an output for {} can't be run on this machine", target),
                    what.output.string(), "no program here stands in for that system",
                    "run it on that system, and compare it with its source there");
    bool is_windows = info->system == System::windows;
    if (find_on_path(runner).empty() && (is_windows || find_on_path(runner + "-static").empty()))
        return fail(ErrorKind::missing, fmt::format("an output for {} can't be run on this machine", target),
                    what.output.string(), fmt::format("there is no {} on PATH", runner),
                    is_windows ? "install the package wine" : "install the package qemu-user-static");
    return is_windows ? wine_emulation(std::move(what)) : processor_emulation(target, std::move(what));
}

std::string unpacked_tree(const std::filesystem::path& trees) {
    std::string newest;
    fs::file_time_type time{};
    for (const FolderEntry& entry : list_folder(trees)) {
        std::error_code failed;
        auto of_entry = fs::last_write_time(trees / entry.name, failed);
        if (failed || !entry.is_folder || entry.name.starts_with('.')) continue;
        if (newest.empty() || of_entry > time) newest = entry.name;
        time = std::max(time, of_entry);
    }
    return newest;
}

} // namespace omnistasis::watch
