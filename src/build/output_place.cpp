#include "build/output_place.h"

#include "support/output_marker.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <set>
#include <sstream>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

namespace omnistasis::build {

namespace {

constexpr unsigned exchange_flag = 2; // RENAME_EXCHANGE of renameat2(2)

Result<void> write_marker(const fs::path& folder, const std::set<std::string>& names) {
    std::string text = "# What Omnistasis made in this folder, and may replace.\n";
    for (const std::string& name : names) text += name + "\n";
    return write_atomically(folder / output_marker_name, text);
}

/// Nobody else changes the marker of a folder meanwhile, in this process or another.
class MarkerLock {
  public:
    explicit MarkerLock(const fs::path& folder)
        : descriptor_(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
        // Where the file system knows no locks there is none.
        while (descriptor_ >= 0 && ::flock(descriptor_, LOCK_EX) != 0 && errno == EINTR) {
        }
    }
    ~MarkerLock() {
        if (descriptor_ >= 0) ::close(descriptor_);
    }
    MarkerLock(const MarkerLock&) = delete;
    MarkerLock& operator=(const MarkerLock&) = delete;

  private:
    int descriptor_;
};

Result<void> add_to_marker(const fs::path& folder, const std::string& name) {
    MarkerLock lock(folder);
    std::set<std::string> names = read_output_marker(folder);
    return names.insert(name).second ? write_marker(folder, names) : Result<void>();
}

} // namespace

Result<OutputPlace> OutputPlace::prepare(const fs::path& folder, const std::string& name) {
    std::error_code failed;
    if (fs::exists(folder, failed) && !fs::is_directory(folder, failed))
        return fail(ErrorKind::bad_input, "the output folder is a file", folder, "",
                    "choose another folder with --out");
    fs::create_directories(folder, failed);
    if (failed || ::access(folder.c_str(), W_OK) != 0)
        return fail(ErrorKind::unwritable, "can't write into the output folder", folder,
                    failed ? failed.message() : system_text(errno),
                    "choose another folder with --out, or change the permissions of this one");
    if (fs::exists(fs::symlink_status(folder / name, failed)) && !read_output_marker(folder).contains(name))
        return fail(ErrorKind::bad_input,
                    "something that Omnistasis did not make is in the way of the output", folder / name,
                    "only what it made itself is replaced",
                    "move it away, or choose another place with --out or --name");
    return OutputPlace(folder, name);
}

bool OutputPlace::holds_outputs(const fs::path& folder) { return is_file(folder / output_marker_name); }

Result<void> OutputPlace::put(const fs::path& made) const {
    // The note comes first: if the machine stops between the two, the next build knows the output as ours.
    if (auto noted = add_to_marker(folder_, name_); !noted) return noted;
    std::error_code ignored;
    bool replaces_folder =
        fs::is_directory(fs::symlink_status(output(), ignored)) || fs::is_directory(made, ignored);
    long result = 0;
    if (replaces_folder && fs::exists(fs::symlink_status(output(), ignored)))
        // Old and new change places at once; the old one then goes with the staging folder.
        result = ::syscall(SYS_renameat2, AT_FDCWD, made.c_str(), AT_FDCWD, output().c_str(), exchange_flag);
    else
        result = ::rename(made.c_str(), output().c_str());
    if (result != 0)
        return fail(ErrorKind::missing, "can't put the output in its place", output(), system_text(errno),
                    "choose another folder with --out");
    return {};
}

} // namespace omnistasis::build
