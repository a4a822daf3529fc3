// Searches files and folders for credentials on all cores, and prints each finding as a line and how fast
// that was.
//
//     search_secrets NOTES FILE-OR-FOLDER ...
#include "review/secrets.h"

#include <chrono>
#include <fmt/format.h>
#include <mutex>
#include <oneapi/tbb/parallel_for.h>

using namespace omnistasis;

int main(int count, char** arguments) {
    if (count < 3) return 2;
    auto search = review::SecretSearch::read(arguments[1]);
    if (!search) {
        fmt::print(stderr, "{}: {}\n", search.error().what, search.error().why);
        return 4;
    }
    std::vector<std::string> files;
    for (int i = 2; i < count; ++i) {
        if (!is_folder(arguments[i])) {
            files.emplace_back(arguments[i]);
            continue;
        }
        each_entry_below(arguments[i], [&](const fs::directory_entry& entry) {
            std::error_code failed;
            if (!entry.is_symlink(failed) && entry.is_regular_file(failed))
                files.push_back(entry.path().string());
        });
    }
    // Twice: the first time brings the files into memory.
    std::uint64_t bytes = 0;
    double seconds = 0;
    std::vector<std::vector<review::Finding>> found(files.size());
    for (int round = 0; round < 2; ++round) {
        std::mutex mutex;
        bytes = 0;
        auto begin = std::chrono::steady_clock::now();
        oneapi::tbb::parallel_for(std::size_t(0), files.size(), [&](std::size_t i) {
            auto content = MappedFile::open(files[i]);
            if (!content) return;
            found[i] = search->in(content->text(), files[i]);
            std::lock_guard lock(mutex);
            bytes += content->bytes().size();
        });
        seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    }
    for (const std::vector<review::Finding>& some : found)
        for (const review::Finding& one : some)
            fmt::print("{}:{}\t{}\t{}\n", one.file, one.line, one.kind, one.excerpt);
    fmt::print(stderr, "{} files, {:.1f} MB in {:.2f} s: {:.0f} MB/s\n", files.size(),
               static_cast<double>(bytes) / 1e6, seconds, static_cast<double>(bytes) / 1e6 / seconds);
}
