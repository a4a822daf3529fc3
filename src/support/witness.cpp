#include "support/witness.h"

#include "support/stored_form.h"
#include "support/user_cache.h"

#include <algorithm>
#include <atomic>
#include <ctime>
#include <mutex>
#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>
#include <sys/stat.h>
#include <unordered_set>
#include <vector>

namespace omnistasis {

namespace {

/// Times of files step this far at most.
constexpr std::int64_t clock_grain = 20'000'000; // nanoseconds

std::atomic<bool> noting = false;
std::mutex seen_mutex;
std::unordered_set<std::string> seen;
std::string cache_folder;
bool checkable = true;
std::int64_t started = 0;

std::int64_t nanoseconds(const timespec& time) { return time.tv_sec * 1'000'000'000 + time.tv_nsec; }

/// One thing that was looked at. All zero: it was not there.
struct Sight {
    std::string path;
    std::uint64_t changed = 0; ///< modification time, nanoseconds
    std::uint64_t size = 0;
    std::uint64_t number = 0; ///< of the inode
    std::int64_t latest = 0;  ///< when anything of it changed, nanoseconds; of no interest later
    bool operator==(const Sight& other) const {
        return path == other.path && changed == other.changed && size == other.size && number == other.number;
    }
};

Sight look_at(const std::string& path) {
    struct stat status {};
    if (::stat(path.c_str(), &status) != 0) return {path, 0, 0, 0, 0};
    return {path, static_cast<std::uint64_t>(nanoseconds(status.st_mtim)),
            S_ISDIR(status.st_mode) ? 0 : static_cast<std::uint64_t>(status.st_size), status.st_ino,
            std::max(nanoseconds(status.st_mtim), nanoseconds(status.st_ctim))};
}

/// The same for many, on all cores: a file that is looked at takes longer than most of what is done with it.
std::vector<Sight> look_at_all(const std::vector<const std::string*>& paths) {
    std::vector<Sight> sights(paths.size());
    auto look = [&](const oneapi::tbb::blocked_range<std::size_t>& range) {
        for (std::size_t i = range.begin(); i < range.end(); ++i) sights[i] = look_at(*paths[i]);
    };
    oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, paths.size(), 500), look);
    return sights;
}

template <typename Archive, typename Sights> void visit(Archive& archive, Sights& sights) {
    visit_list(archive, sights, [](auto& into, auto& sight) {
        into.value(sight.path);
        into.value(sight.changed);
        into.value(sight.size);
        into.value(sight.number);
    });
}

std::optional<std::vector<Sight>> read(std::string_view testimony) {
    FormReader reader(testimony);
    std::vector<Sight> sights;
    visit(reader, sights);
    if (!reader.complete()) return std::nullopt;
    return sights;
}

} // namespace

Witness::Witness() {
    std::lock_guard lock(seen_mutex);
    seen.clear();
    checkable = true;
    cache_folder = user_cache_folder("").string();
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    started = nanoseconds(now);
    noting = true;
}

Witness::~Witness() { noting = false; }

void Witness::saw(const std::filesystem::path& path) {
    if (!noting) return;
    const std::string& text = path.native();
    std::lock_guard lock(seen_mutex);
    bool own = (!cache_folder.empty() && text.starts_with(cache_folder)) || text.starts_with("/proc/");
    if (!own) seen.insert(text);
}

void Witness::saw_what_cannot_be_checked() {
    std::lock_guard lock(seen_mutex);
    checkable = false;
}

std::optional<std::string> Witness::testimony() const {
    std::lock_guard lock(seen_mutex);
    if (!checkable) return std::nullopt;
    std::vector<const std::string*> paths;
    for (const std::string& path : seen)
        if (std::ranges::none_of(passed_over_,
                                 [&](const std::string& one) { return (path + "/").starts_with(one); }))
            paths.push_back(&path);
    std::vector<Sight> sights = look_at_all(paths);
    for (const Sight& sight : sights)
        if (sight.latest >= started - clock_grain) return std::nullopt;
    std::ranges::sort(sights, {}, &Sight::path);
    FormWriter writer;
    visit(writer, sights);
    return std::move(writer.bytes);
}

std::optional<std::vector<std::string>> Witness::changes_since(std::string_view testimony) {
    auto sights = read(testimony);
    if (!sights) return std::nullopt;
    std::vector<std::string> changed;
    std::vector<const std::string*> paths;
    for (const Sight& sight : *sights) paths.push_back(&sight.path);
    std::vector<Sight> now = look_at_all(paths);
    for (std::size_t i = 0; i < now.size(); ++i)
        if (!(now[i] == (*sights)[i])) changed.push_back((*sights)[i].path);
    return changed;
}

void Witness::saw_all_of(std::string_view testimony) {
    for (const Sight& sight : read(testimony).value_or(std::vector<Sight>())) saw(sight.path);
}

} // namespace omnistasis
