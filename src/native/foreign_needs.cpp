#include "native/foreign_needs.h"

#include "native/elf_reader.h"
#include "native/mach_o_loader.h"
#include "native/opened_names.h"
#include "native/pe_reader.h"
#include "support/files.h"
#include "support/letter_case.h"
#include "support/target_info.h"

#include <algorithm>
#include <map>
#include <set>

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
    std::set<std::string> weak;
    std::map<std::string, std::string> exact;
    bool any_case = false;
    const TargetInfo* target = find_target(host.target());
    std::uint32_t processor = target == nullptr ? 0 : target->machine;
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
        for (const MachImage& image : mach->images) {
            if (image.processor != processor) continue;
            for (const MachLibrary& library : image.libraries) {
                if (library.name == image.install_name) continue;
                names.push_back(library.name);
                if (library.weak) weak.insert(library.name);
                for (const std::string& path : loaded_paths(library.name, image, beside, ""))
                    if (library.name.starts_with('@') && is_file(path)) exact.emplace(library.name, path);
            }
        }
        folders.push_back(beside + "/../lib");
    }
    std::vector<ForeignNeed> needs;
    for (const std::string& name : names) {
        if (host.find(any_case ? lower_case(name) : name) != nullptr) continue;
        std::string short_name = fs::path(name).filename().string();
        ForeignNeed need{name, "", exact.contains(name), weak.contains(name)};
        if (need.is_exact) need.found_file = exact.at(name);
        for (const std::string& folder : folders) {
            if (!need.found_file.empty()) break;
            std::string found = in_folder(folder, short_name, any_case);
            if (found != file) need.found_file = found;
        }
        bool known = std::ranges::any_of(needs, [&](const ForeignNeed& one) { return one.name == name; });
        if (!known) needs.push_back(std::move(need));
    }
    // What it opens by name, where that lies beside it.
    if (looks_like_elf(bytes)) return needs;
    for (const std::string& name : opened_names_elsewhere(bytes)) {
        bool known = std::ranges::any_of(needs, [&](const ForeignNeed& one) { return one.name == name; });
        std::string found = known ? std::string() : in_folder(beside, name, any_case);
        if (!found.empty() && found != file) needs.push_back({name, found, true, true});
    }
    return needs;
}

} // namespace omnistasis::native
