#include "native/closure.h"

#include "native/opened_names.h"
#include "support/kept_words.h"
#include "support/target_info.h"

#include <algorithm>
#include <oneapi/tbb/parallel_for.h>

namespace omnistasis::native {

Closure::Closure(fs::path program, const HostLibraries& host, Store& store, PlaceOf place_of_package_file)
    : host_(host), store_(store), place_of_package_file_(std::move(place_of_package_file)),
      model_(LoaderModel::Machine::any), program_(real_path(program)) {
    objects_.push_back({program_, program_, FoundBy::start, 0, model_.elf_at(program_)});
}

/// The libraries that a file opens by name, as its text tells.
const std::vector<std::string>& Closure::names_in(const std::string& real) {
    if (auto known = names_in_.find(real); known != names_in_.end()) return known->second;
    return names_in_.emplace(real, kept_words(real, "libraries", store_, opened_names)).first->second;
}

void Closure::read_ahead(const std::vector<std::string>& files) {
    oneapi::tbb::parallel_for(std::size_t(0), files.size(),
                              [&](std::size_t i) { names_in(real_path(files[i])); });
}

Result<void> Closure::add(const fs::path& file, const std::string& place) {
    std::string real = real_path(file);
    place_of_.emplace(real, place);
    if (followed_.contains(real)) return {};
    auto mapped = MappedFile::open(real);
    if (!mapped) return pass_on(mapped);
    std::size_t object = 0;
    if (real != program_) {
        const ElfFile* elf = model_.elf_at(real);
        if (elf == nullptr) return tl::make_unexpected(read_elf(mapped->bytes(), real).error());
        if (!elf->soname.empty()) by_name_.emplace(elf->soname, real);
        object = objects_.size();
        const std::string& kept = *followed_.insert(real).first;
        objects_.push_back({kept, kept, FoundBy::path, 0, elf});
    }
    followed_.insert(real);
    return follow(object);
}

Result<void> Closure::follow(std::size_t first) {
    if (objects_[first].elf == nullptr) return {};
    // Breadth first, as the loader does it: what is nearer to the first file wins a name.
    std::vector<std::size_t> open{first};
    for (std::size_t next = 0, level = 0; next < open.size(); ++next) {
        if (next == level) {
            std::vector<std::string> files;
            for (; level < open.size(); ++level) files.emplace_back(objects_[open[level]].path);
            read_ahead(files);
        }
        std::size_t asking = open[next];
        std::string from(objects_[asking].path);
        std::vector<std::string> needed = objects_[asking].elf->needed;
        // What the C library opens by itself is found by the program's search path.
        if (from == program_) needed.insert(needed.end(), host_.opened().begin(), host_.opened().end());
        std::size_t linked = needed.size();
        const std::vector<std::string>& auxiliary = objects_[asking].elf->auxiliary;
        needed.insert(needed.end(), auxiliary.begin(), auxiliary.end());
        for (const std::string& name : names_in(from))
            if (name != objects_[asking].elf->soname && std::ranges::find(needed, name) == needed.end())
                needed.push_back(name);
        for (std::size_t i = 0; i < needed.size(); ++i) {
            const std::string& name = needed[i];
            bool optional = i >= linked;
            if (host_.find(name) != nullptr) continue;
            std::string found = found_for(name, asking);
            if (optional && found.empty()) continue;
            needs_.push_back({from, name, found, optional});
            if (found.empty()) continue;
            by_name_.emplace(name, found);
            auto [kept, is_new] = followed_.insert(found);
            if (!is_new) {
                add_other_name(fs::path(name).filename().string(), found);
                continue;
            }
            const ElfFile* elf = model_.elf_at(found);
            if (!elf->soname.empty()) by_name_.emplace(elf->soname, found);
            if (!place_of_.contains(found)) {
                std::string file_name = fs::path(name).filename().string();
                auto place = place_of_package_file_ && fs::path(found).filename() == file_name
                                 ? place_of_package_file_(found)
                                 : std::nullopt;
                shipped_.push_back({file_name, found, place ? *place : "lib/" + file_name, false});
                place_of_.emplace(found, shipped_.back().place);
            }
            open.push_back(objects_.size());
            objects_.push_back({*kept, *kept, FoundBy::path, asking, elf});
        }
    }
    return {};
}

/// A library may be linked by a name that is neither its file's nor its own: both have to lead to it.
void Closure::add_other_name(const std::string& name, const std::string& found) {
    auto known = place_of_.find(found);
    if (known == place_of_.end() || fs::path(known->second).filename() == name) return;
    const ElfFile* elf = model_.elf_at(found);
    if (elf == nullptr || elf->soname == name) return;
    if (other_names_.insert(name).second) shipped_.push_back({name, found, "lib/" + name, true});
}

std::vector<OtherLoader> Closure::other_loaders() const {
    std::vector<OtherLoader> others;
    for (const LoadedObject& object : objects_) {
        const std::string& loader = object.elf->interpreter;
        const TargetInfo* target = target_with(System::linux, object.elf->machine);
        if (!loader.empty() && target != nullptr && fs::path(loader).filename() != target->loader)
            others.push_back({std::string(object.path), loader});
    }
    return others;
}

std::vector<UnfitLibrary> Closure::unfit() const {
    std::vector<UnfitLibrary> unfit;
    for (const LoadedObject& object : objects_)
        for (const ElfVersionNeed& need : object.elf->version_needs) {
            auto file = by_name_.find(need.library);
            const ElfFile* library = file == by_name_.end() ? nullptr : model_.elf_at(file->second);
            if (library == nullptr) continue;
            if (auto versions = missing_versions(need, *library); !versions.empty())
                unfit.push_back({std::string(object.path), file->second, std::move(versions)});
        }
    return unfit;
}

/// The real path of what a name leads to; empty where it leads nowhere.
std::string Closure::found_for(const std::string& name, std::size_t asking) const {
    if (auto known = by_name_.find(name); known != by_name_.end()) return known->second;
    FoundBy found_by = FoundBy::cache;
    std::string error;
    std::string path = model_.find(name, objects_, asking, found_by, error);
    if (path.empty() || !error.empty()) return {};
    std::string real = real_path(path);
    return model_.elf_at(real) != nullptr ? real : std::string();
}

} // namespace omnistasis::native
