#include "native/mach_o_reader.h"

#include "native/mach_o_format.h"

#include <fmt/format.h>

namespace omnistasis::native {

namespace {

using namespace mach;

std::string version(std::uint32_t number) {
    std::string text = fmt::format("{}.{}", number >> 16, (number >> 8) & 0xFF);
    return (number & 0xFF) != 0 ? fmt::format("{}.{}", text, number & 0xFF) : text;
}

std::string platform_name(std::uint32_t number) {
    switch (number) {
    case 1:
        return "macos";
    case 2:
        return "ios";
    case 3:
        return "tvos";
    case 4:
        return "watchos";
    case 6:
        return "mac-catalyst";
    default:
        return fmt::format("platform {}", number);
    }
}

class Reader {
  public:
    Reader(ByteSpan bytes, std::string name) : bytes_(bytes), name_(std::move(name)) {}

    Result<MachFile> read() {
        ByteView big(bytes_, false);
        std::uint32_t magic = big.word(0);
        MachFile file;
        if (magic != universal_magic && magic != universal_magic_64) {
            auto image = read_image(bytes_, 0);
            if (!image) return pass_on(image);
            file.images.push_back(std::move(*image));
            return file;
        }
        file.universal = true;
        std::size_t count = big.word(4);
        std::uint64_t width = magic == universal_magic_64 ? 32 : 20;
        if (count > most_images || !big.holds(8, count * width))
            return error("names more architectures than it has", 4);
        for (std::size_t i = 0; i < count; ++i) {
            std::uint64_t at = 8 + i * width;
            std::uint64_t offset = width == 32 ? big.quad(at + 8) : big.word(at + 8);
            std::uint64_t size = width == 32 ? big.quad(at + 16) : big.word(at + 12);
            if (!big.holds(offset, size)) return error("ends within an architecture", at);
            auto image = read_image(big.part(offset, size), offset);
            if (!image) return pass_on(image);
            file.images.push_back(std::move(*image));
        }
        return file;
    }

  private:
    tl::unexpected<Error> error(const std::string& what, std::uint64_t offset) const {
        return fail(ErrorKind::bad_input, fmt::format("the file {}", what), name_,
                    fmt::format("at byte {}", offset), "the file is damaged or was cut off: get it anew");
    }

    Result<MachImage> read_image(ByteSpan bytes, std::uint64_t base) const {
        MachImage image;
        std::uint32_t little = ByteView(bytes).word(0), big = ByteView(bytes, false).word(0);
        image.little_endian = little == magic_32 || little == magic_64;
        if (!image.little_endian && big != magic_32 && big != magic_64)
            return error("has no Mach-O header", base);
        ByteView view(bytes, image.little_endian);
        image.is_64_bit = view.word(0) == magic_64;
        std::uint64_t header = image.is_64_bit ? 32 : 28;
        if (!view.holds(0, header)) return error("ends within its header", base);
        image.processor = view.word(4);
        image.kind = view.word(12);
        std::size_t count = view.word(16);
        std::uint64_t end = header + view.word(20);
        if (count > most_commands || !view.holds(header, view.word(20)))
            return error("ends within its load commands", base + header);
        std::uint64_t at = header;
        for (std::size_t i = 0; i < count; ++i) {
            std::uint64_t size = view.word(at + 4);
            if (size < 8 || at + size > end)
                return error("has a load command of an impossible size", base + at);
            read_command(ByteView(view.part(at, size), image.little_endian), image);
            at += size;
        }
        return image;
    }

    static void read_command(const ByteView& command, MachImage& image) {
        auto text_at = [&](std::uint64_t field) {
            return std::string(command.text(command.word(field), command.size()));
        };
        std::uint32_t kind = command.word(0) & command_bits;
        switch (kind) {
        case load_library:
        case load_weak:
        case reexport:
        case load_upward:
            image.libraries.push_back({text_at(8), version(command.word(16)), version(command.word(20)),
                                       kind == load_weak, kind == reexport});
            break;
        case own_name:
            image.install_name = text_at(8);
            break;
        case load_loader:
            image.loader = text_at(8);
            break;
        case search_path:
            image.search_paths.push_back(text_at(8));
            break;
        case segment_32:
        case segment_64:
            image.segments.emplace_back(command.text(8, 24));
            break;
        case file_uuid:
            for (std::uint64_t i = 0; i < 16; ++i) image.uuid += fmt::format("{:02x}", command.byte(8 + i));
            break;
        case signature:
            image.is_signed = true;
            break;
        case encryption:
        case encryption_64:
            image.is_encrypted = command.word(16) != 0;
            break;
        case oldest_macos:
        case oldest_ios:
            image.platform = kind == oldest_macos ? "macos" : "ios";
            image.oldest_system = version(command.word(8));
            image.built_for = version(command.word(12));
            break;
        case build_version:
            image.platform = platform_name(command.word(8));
            image.oldest_system = version(command.word(12));
            image.built_for = version(command.word(16));
            break;
        default:
            break;
        }
    }

    ByteSpan bytes_;
    std::string name_;
};

} // namespace

bool looks_like_mach_o(ByteSpan bytes) {
    std::uint32_t little = ByteView(bytes).word(0), big = ByteView(bytes, false).word(0);
    // The universal magic is Java's class files' too: those have a version behind it, and no fewer than 45.
    bool universal =
        (big == universal_magic && ByteView(bytes, false).word(4) < 40) || big == universal_magic_64;
    return universal || little == magic_32 || little == magic_64 || big == magic_32 || big == magic_64;
}

Result<MachFile> read_mach_o(ByteSpan bytes, const std::string& name) { return Reader(bytes, name).read(); }

} // namespace omnistasis::native
