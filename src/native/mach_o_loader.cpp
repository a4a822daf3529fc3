#include "native/mach_o_loader.h"

#include "native/mach_o_format.h"
#include "native/mach_signature.h"
#include "support/byte_writer.h"
#include "support/files.h"

#include <algorithm>
#include <fmt/format.h>

namespace omnistasis::native {

namespace {

/// A path of the tree without "." and ".."; places have no `/` in front.
std::string straight(const std::string& path) { return fs::path(path).lexically_normal().string(); }

/// The load command with another name in it.
std::string renamed_command(ByteSpan command, const std::string& to) {
    constexpr std::size_t fixed = 24; // struct dylib_command; the name follows
    std::string out(as_text(command.first(fixed)));
    set_little(out, 8, fixed, 4);
    out += to;
    out.resize((out.size() + 8) / 8 * 8);
    set_little(out, 4, out.size(), 4);
    return out;
}

/// An image with other names of libraries.
Result<std::string> renamed(std::string image, const std::map<std::string, std::string>& names,
                            const std::string& file) {
    ByteView view(as_bytes(image));
    std::string commands;
    mach::each_command(view, [&](std::uint32_t kind, std::uint64_t at, std::uint32_t size) {
        ByteSpan command = view.part(at, size);
        auto to = names.end();
        if (mach::loads_library(kind) && size >= 24)
            to = names.find(std::string(view.text(at + view.word(at + 8), at + size)));
        commands += to == names.end() ? std::string(as_text(command)) : renamed_command(command, to->second);
    });
    std::uint64_t room = mach::first_section(view) - mach::head_size;
    if (commands.size() > room)
        return fail(ErrorKind::bad_input, "the file's header has no room for where its libraries are", file,
                    fmt::format("{} bytes are needed, and {} are there", commands.size(), room),
                    "build it with room in its header (-headerpad_max_install_names)");
    std::uint64_t before = view.word(20);
    set_little(image, 20, commands.size(), 4);
    // What is left of longer ones is cleared.
    commands.resize(std::max<std::uint64_t>(commands.size(), before));
    std::ranges::copy(commands, image.begin() + mach::head_size);
    return image;
}

} // namespace

std::string moved_library(const std::string& install_name, const std::string& tree) {
    if (!install_name.starts_with('/')) return {};
    for (std::size_t slash = 0; slash != std::string::npos; slash = install_name.find('/', slash + 1))
        if (std::string file = tree + install_name.substr(slash); is_file(file)) return file;
    return {};
}

std::optional<ByteSpan> image_for(ByteSpan bytes, std::uint32_t processor) {
    ByteView view(bytes), big(bytes, false);
    std::uint32_t magic = big.word(0);
    if (magic != mach::universal_magic && magic != mach::universal_magic_64)
        return view.word(4) == processor ? std::optional(bytes) : std::nullopt;
    std::uint64_t width = magic == mach::universal_magic_64 ? 32 : 20;
    for (std::uint64_t i = 0; i < std::min<std::uint64_t>(big.word(4), mach::most_images); ++i) {
        std::uint64_t at = 8 + i * width;
        if (big.word(at) != processor) continue;
        std::uint64_t offset = width == 32 ? big.quad(at + 8) : big.word(at + 8);
        std::uint64_t size = width == 32 ? big.quad(at + 16) : big.word(at + 12);
        if (ByteSpan part = big.part(offset, size); !part.empty()) return part;
    }
    return std::nullopt;
}

std::vector<std::string> loaded_paths(const std::string& install_name, const MachImage& image,
                                      const std::string& folder, const std::string& program_folder) {
    auto expanded = [&](const std::string& path) -> std::string {
        for (const auto& [start, from] :
             {std::pair<std::string_view, const std::string&>("@loader_path/", folder),
              {"@executable_path/", program_folder}})
            if (path.starts_with(start))
                return from.empty() && start.starts_with("@e")
                           ? ""
                           : straight(from + "/" + path.substr(start.size()));
        return path.starts_with('@') ? "" : path;
    };
    std::vector<std::string> paths;
    auto add = [&](std::string path) {
        if (!path.empty()) paths.push_back(std::move(path));
    };
    constexpr std::string_view by_search = "@rpath/";
    if (!install_name.starts_with(by_search)) {
        add(expanded(install_name));
        return paths;
    }
    for (const std::string& one : image.search_paths) {
        std::string base = one == "@loader_path" || one == "@executable_path" ? one + "/" : one;
        if (std::string start = expanded(base); !start.empty())
            add(straight(start + "/" + install_name.substr(by_search.size())));
    }
    return paths;
}

Result<std::string> placed_mach_o(ByteSpan bytes, const MachPlace& where, const std::string& name) {
    auto part = image_for(bytes, where.processor);
    if (!part) return std::string(); // it is for another system, and goes along as what it is
    auto file = read_mach_o(*part, name);
    if (!file) return pass_on(file);
    const MachImage& image = file->images.front();
    std::string folder = fs::path(where.place).parent_path().string();
    std::map<std::string, std::string> names;
    for (const MachLibrary& library : image.libraries) {
        auto needed = where.libraries.find(fs::path(library.name).filename().string());
        if (needed == where.libraries.end()) continue;
        auto paths = loaded_paths(library.name, image, folder, where.program_folder);
        // A path of the system in front of it could lead to another library on somebody's machine.
        auto found = std::ranges::find(paths, needed->second);
        bool is_led_there = found != paths.end() && std::none_of(paths.begin(), found, [](const auto& one) {
                                return one.starts_with('/');
                            });
        if (is_led_there) continue;
        std::string way = fs::path(needed->second).lexically_relative(folder.empty() ? "." : folder).string();
        names.emplace(library.name, "@loader_path/" + (folder.empty() ? needed->second : way));
    }
    bool is_thin = part->size() == bytes.size();
    if (names.empty() && is_thin && image.is_signed) return std::string();
    if (!image.is_64_bit || !image.little_endian) return std::string();
    std::string out(as_text(*part));
    if (!names.empty()) {
        auto changed = renamed(std::move(out), names, name);
        if (!changed) return changed;
        out = std::move(*changed);
    } else if (image.is_signed) {
        return out; // each image of a universal file has a signature of its own
    }
    return with_seal(std::move(out), {fs::path(where.place).filename().string()}, name);
}

} // namespace omnistasis::native
