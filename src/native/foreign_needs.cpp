#include "native/foreign_needs.h"

#include "native/elf_reader.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"
#include "support/files.h"
#include "support/letter_case.h"
#include "support/target_info.h"

#include <algorithm>

namespace omnistasis::native {

namespace {

/// The file of that name in a folder; names of PE files are compared as Windows does it.
std::string in_folder(const std::string& folder, const std::string& name, bool any_case) {
    for (const FolderEntry& entry : list_folder(folder))
        if (!entry.is_folder &&
            (entry.name == name || (any_case && lower_case(entry.name) == lower_case(name))))
            return folder + "/" + entry.name;
    return {};
}

} // namespace

Result<std::vector<ForeignNeed>> foreign_needs(const std::string& file, const HostLibraries& host) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    ByteSpan bytes = mapped->bytes();
    std::string beside = fs::path(file).parent_path().string();
    std::vector<std::string> folders{beside};
    std::vector<std::string> names;
    bool any_case = false;
    if (looks_like_elf(bytes)) {
        auto elf = read_elf(bytes, file);
        if (!elf) return pass_on(elf);
        names = elf->needed;
        const std::string& libraries = linux_folders(elf->machine).several;
        for (const char* place : {"/usr/lib/", "/lib/", "/usr/"})
            for (const char* inner : {"", "/lib"}) folders.push_back(place + libraries + inner);
        folders.push_back(beside + "/../lib");
    } else if (looks_like_pe(bytes)) {
        auto pe = read_pe(bytes, file);
        if (!pe) return pass_on(pe);
        any_case = true;
        for (const PeImport& import : pe->imports) names.push_back(import.library);
    } else if (looks_like_mach_o(bytes)) {
        auto mach = read_mach_o(bytes, file);
        if (!mach) return pass_on(mach);
        for (const MachImage& image : mach->images)
            for (const MachLibrary& library : image.libraries)
                if (!library.weak && library.name != image.install_name) names.push_back(library.name);
        folders.push_back(beside + "/../lib");
    }
    std::vector<ForeignNeed> needs;
    for (const std::string& name : names) {
        if (host.find(any_case ? lower_case(name) : name) != nullptr) continue;
        std::string short_name = fs::path(name).filename().string();
        ForeignNeed need{name, ""};
        for (const std::string& folder : folders)
            if (need.found_file.empty()) need.found_file = in_folder(folder, short_name, any_case);
        bool known = std::ranges::any_of(needs, [&](const ForeignNeed& one) { return one.name == name; });
        if (!known) needs.push_back(std::move(need));
    }
    return needs;
}

} // namespace omnistasis::native
