#include "native/library_weight.h"

#include "native/elf_reader.h"
#include "native/loader_cache.h"
#include "native/mach_o_loader.h"
#include "native/pe_reader.h"
#include "support/files.h"

#include <set>

namespace omnistasis::native {

namespace {

/// The libraries that one file asks for, by their paths.
std::vector<std::string> libraries_of_file(const std::string& file, const FindLibrary& find) {
    std::vector<std::string> found;
    auto mapped = MappedFile::open(file);
    if (!mapped) return found;
    ByteSpan bytes = mapped->bytes();
    if (looks_like_elf(bytes)) {
        if (auto elf = read_elf(bytes, ""))
            for (const std::string& name : elf->needed) found.push_back(find(name, file));
    } else if (looks_like_pe(bytes)) {
        if (auto pe = read_pe(bytes, ""))
            for (const PeImport& import : pe->imports) found.push_back(find(import.library, file));
    } else if (auto mach = read_mach_o(bytes, "")) {
        std::string folder = parent_folder_of(file);
        for (const MachImage& image : mach->images)
            for (const MachLibrary& library : image.libraries)
                for (const std::string& path : loaded_paths(library.name, image, folder, ""))
                    if (library.name.starts_with('@') && is_file(path))
                        found.push_back(fs::path(path).lexically_normal().string());
    }
    return found;
}

/// All libraries that files need, by their paths.
std::set<std::string> libraries_of(const std::vector<std::string>& files, const FindLibrary& find) {
    std::set<std::string> libraries;
    std::vector<std::string> open = files;
    while (!open.empty()) {
        std::string file = std::move(open.back());
        open.pop_back();
        for (std::string& library : libraries_of_file(file, find))
            if (!library.empty() && library != file && libraries.insert(library).second)
                open.push_back(std::move(library));
    }
    return libraries;
}

} // namespace

std::string library_of_this_machine(const std::string& name, const std::string&) {
    static const LoaderCache cache = LoaderCache::read();
    const auto& found = cache.find(name);
    return found.empty() ? std::string() : found.front();
}

std::uint64_t weight_of_new_libraries(const std::vector<std::string>& files,
                                      const std::vector<std::string>& there, const FindLibrary& find) {
    std::set<std::string> known = libraries_of(there, find);
    known.insert(files.begin(), files.end()); // they weigh what they weigh
    std::uint64_t size = 0;
    for (const std::string& library : libraries_of(files, find)) {
        std::error_code failed;
        std::uint64_t its_size = known.contains(library) ? 0 : fs::file_size(library, failed);
        if (!failed) size += its_size;
    }
    return size;
}

} // namespace omnistasis::native
