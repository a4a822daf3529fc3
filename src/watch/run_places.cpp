#include "watch/run_places.h"

#include "support/files.h"

namespace omnistasis::watch {

Result<RunPlaces> RunPlaces::make(const fs::path& folder) {
    RunPlaces places{folder / "home", folder / "work", folder / "tmp"};
    std::error_code failed;
    for (const fs::path& one : {places.home, places.work, places.temporary})
        fs::create_directories(one, failed);
    if (failed)
        return fail(ErrorKind::unwritable, "can't make the folders of a run", folder, failed.message());
    return places;
}

std::map<std::string, std::uint64_t> files_below(const fs::path& folder) {
    std::map<std::string, std::uint64_t> files;
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        std::error_code failed;
        if (entry.is_regular_file(failed) && !failed)
            files[entry.path().lexically_relative(folder).string()] = entry.file_size(failed);
    });
    return files;
}

} // namespace omnistasis::watch
