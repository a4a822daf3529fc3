#include "native/closure.h"

#include "native/opened_names.h"

#include <algorithm>
#include <cstdlib>
#include <elf.h>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

std::vector<std::string> split(std::string_view list, std::string_view separators) {
    std::vector<std::string> parts;
    while (!list.empty()) {
        std::size_t end = list.find_first_of(separators);
        if (end == std::string_view::npos) end = list.size();
        if (end > 0) parts.emplace_back(list.substr(0, end));
        list.remove_prefix(std::min(end + 1, list.size()));
    }
    return parts;
}

void replace_all(std::string& text, std::string_view what, std::string_view with) {
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + with.size()))
        text.replace(at, what.size(), with);
}

const std::vector<std::string>& default_folders(std::uint16_t machine) {
    static const std::vector<std::string> x86_64{
        "/lib/x86_64-linux-gnu", "/usr/lib/x86_64-linux-gnu", "/lib64", "/usr/lib64", "/lib", "/usr/lib"};
    static const std::vector<std::string> aarch64{
        "/lib/aarch64-linux-gnu", "/usr/lib/aarch64-linux-gnu", "/lib64", "/usr/lib64", "/lib", "/usr/lib"};
    return machine == EM_AARCH64 ? aarch64 : x86_64;
}

} // namespace

Closure::Closure(fs::path program, const HostLibraries& host) : host_(host), cache_(LoaderCache::read()) {
    program_.file = real_path(program);
    if (auto mapped = MappedFile::open(program_.file))
        if (auto elf = read_elf(mapped->bytes(), program_.file)) program_.elf = std::move(*elf);
}

Result<void> Closure::add(const fs::path& file, const std::string& place) {
    std::string real = real_path(file);
    place_of_.emplace(real, place);
    if (followed_.contains(real)) return {};
    auto mapped = MappedFile::open(real);
    if (!mapped) return tl::make_unexpected(mapped.error());
    auto elf = read_elf(mapped->bytes(), real);
    if (!elf) return tl::make_unexpected(elf.error());
    auto loaded = std::make_unique<Loaded>(Loaded{real, std::move(*elf), &program_});
    if (real == program_.file) loaded->loader = nullptr;
    if (!loaded->elf.soname.empty()) by_name_.emplace(loaded->elf.soname, real);
    followed_.insert(real);
    loaded_.push_back(std::move(loaded));
    return follow(*loaded_.back());
}

Result<void> Closure::follow(const Loaded& first) {
    // Breadth first, as the loader does it: what is nearer to the first file wins a name.
    std::vector<const Loaded*> open{&first};
    for (std::size_t next = 0; next < open.size(); ++next) {
        const Loaded& loaded = *open[next];
        std::vector<std::string> needed = loaded.elf.needed;
        // What the C library opens by itself is found by the program's search path.
        if (loaded.file == program_.file)
            needed.insert(needed.end(), host_.opened().begin(), host_.opened().end());
        std::size_t linked = needed.size();
        if (auto mapped = MappedFile::open(loaded.file)) {
            auto opened = opened_names(mapped->bytes());
            std::erase_if(opened, [&](const std::string& name) {
                return name == loaded.elf.soname || std::ranges::find(needed, name) != needed.end();
            });
            needed.insert(needed.end(), opened.begin(), opened.end());
        }
        for (std::size_t i = 0; i < needed.size(); ++i) {
            const std::string& name = needed[i];
            bool optional = i >= linked;
            if (host_.find(name) != nullptr) continue;
            auto known = by_name_.find(name);
            std::string found = known != by_name_.end() ? known->second : find(name, loaded);
            if (optional && found.empty()) continue;
            needs_.push_back({loaded.file, name, found, optional});
            if (found.empty()) continue;
            by_name_.emplace(name, found);
            if (!followed_.insert(found).second) continue;
            auto mapped = MappedFile::open(found);
            if (!mapped) return tl::make_unexpected(mapped.error());
            auto elf = read_elf(mapped->bytes(), found);
            if (!elf) return tl::make_unexpected(elf.error());
            if (!elf->soname.empty()) by_name_.emplace(elf->soname, found);
            if (!place_of_.contains(found)) {
                std::string file_name = fs::path(name).filename().string();
                shipped_.push_back({file_name, found, "lib/" + file_name});
                place_of_.emplace(found, shipped_.back().place);
            }
            loaded_.push_back(std::make_unique<Loaded>(Loaded{found, std::move(*elf), &loaded}));
            open.push_back(loaded_.back().get());
        }
    }
    return {};
}

bool Closure::fits(const std::string& file) const {
    auto mapped = MappedFile::open(file);
    if (!mapped) return false;
    auto elf = read_elf(mapped->bytes(), file);
    return elf && elf->same_machine(program_.elf);
}

std::vector<std::string> Closure::folders_of(const std::string& list, const std::string& file) const {
    std::vector<std::string> folders = split(list, ":");
    std::string origin = fs::path(file).parent_path().string();
    bool is_64_bit = program_.elf.is_64_bit;
    const char* platform = program_.elf.machine == EM_AARCH64 ? "aarch64" : "x86_64";
    for (std::string& folder : folders)
        for (auto [word, value] : {std::pair<std::string_view, std::string_view>{"ORIGIN", origin},
                                   {"LIB", is_64_bit ? "lib64" : "lib"},
                                   {"PLATFORM", platform}}) {
            replace_all(folder, fmt::format("${{{}}}", word), value);
            replace_all(folder, fmt::format("${}", word), value);
        }
    return folders;
}

std::string Closure::find(const std::string& name, const Loaded& loaded) const {
    if (name.find('/') != std::string::npos) return fits(name) ? real_path(name) : std::string();
    auto look_in = [&](const std::vector<std::string>& folders) -> std::string {
        for (const std::string& folder : folders) {
            std::string file = folder + "/" + name;
            if (fits(file)) return real_path(file);
        }
        return {};
    };
    if (!loaded.elf.runpath) {
        // The program is at the end of every chain.
        for (const Loaded* by = &loaded; by != nullptr; by = by->loader)
            if (by->elf.rpath && !by->elf.runpath)
                if (std::string found = look_in(folders_of(*by->elf.rpath, by->file)); !found.empty())
                    return found;
    }
    if (const char* path = std::getenv("LD_LIBRARY_PATH"))
        if (std::string found = look_in(split(path, ":;")); !found.empty()) return found;
    if (loaded.elf.runpath)
        if (std::string found = look_in(folders_of(*loaded.elf.runpath, loaded.file)); !found.empty())
            return found;
    for (const std::string& file : cache_.find(name))
        if (fits(file)) return real_path(file);
    if (loaded.elf.ignores_default_folders) return {};
    return look_in(default_folders(program_.elf.machine));
}

} // namespace omnistasis::native
