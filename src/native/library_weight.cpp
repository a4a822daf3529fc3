#include "native/library_weight.h"

#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "support/files.h"

#include <set>

namespace omnistasis::native {

namespace {

/// All libraries that files need, by their paths.
std::set<std::string> libraries_of(const std::vector<std::string>& files, const LoaderCache& cache) {
    std::set<std::string> libraries;
    std::vector<std::string> open = files;
    while (!open.empty()) {
        auto file = MappedFile::open(open.back());
        open.pop_back();
        if (!file) continue;
        auto elf = read_elf(file->bytes(), "");
        if (!elf) continue;
        for (const std::string& name : elf->needed)
            if (const auto& found = cache.find(name);
                !found.empty() && libraries.insert(found.front()).second)
                open.push_back(found.front());
    }
    return libraries;
}

} // namespace

std::uint64_t weight_of_new_libraries(const std::vector<std::string>& files,
                                      const std::vector<std::string>& there) {
    static const LoaderCache cache = LoaderCache::read();
    std::set<std::string> known = libraries_of(there, cache);
    std::uint64_t size = 0;
    for (const std::string& library : libraries_of(files, cache)) {
        std::error_code failed;
        std::uint64_t its_size = known.contains(library) ? 0 : fs::file_size(library, failed);
        if (!failed) size += its_size;
    }
    return size;
}

} // namespace omnistasis::native
