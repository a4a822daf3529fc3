#include "watch/kept_state.h"

namespace omnistasis::watch {

namespace fs = std::filesystem;

namespace {

Result<void> copy_all(const fs::path& from, const fs::path& to) {
    std::error_code failed;
    if (!fs::exists(fs::symlink_status(from, failed))) return {};
    fs::create_directories(to.parent_path(), failed);
    fs::copy(from, to, fs::copy_options::recursive | fs::copy_options::copy_symlinks, failed);
    if (failed)
        return fail(ErrorKind::missing, "the project's state can't be kept while the source runs",
                    from.string(), failed.message());
    return {};
}

} // namespace

Result<KeptState> KeptState::keep(const Project& project, const fs::path& scratch) {
    for (const State& state : project.states)
        if (auto copied = copy_all(project.folder / state.path, scratch / state.path); !copied)
            return pass_on(copied);
    return KeptState(project, scratch);
}

KeptState::KeptState(KeptState&& other) noexcept
    : project_(other.project_), scratch_(std::move(other.scratch_)) {
    other.project_ = nullptr;
}

KeptState::~KeptState() { (void)put_back({}); }

Result<void> KeptState::put_back(const fs::path& to) {
    if (project_ == nullptr) return {};
    const Project& project = *project_;
    project_ = nullptr;
    Result<void> done;
    for (const State& state : project.states) {
        fs::path place = project.folder / state.path;
        if (!to.empty())
            if (auto copied = copy_all(place, to / state.path); !copied) done = copied;
        std::error_code ignored;
        fs::remove_all(place, ignored);
        if (auto copied = copy_all(scratch_ / state.path, place); !copied) done = copied;
    }
    return done;
}

} // namespace omnistasis::watch
