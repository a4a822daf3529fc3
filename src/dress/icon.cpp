#include "dress/icon.h"

#include "support/files.h"

#include <cstring>
#include <dlfcn.h>
#include <librsvg/rsvg.h>
#include <png.h>

namespace omnistasis::dress {

namespace {

bool begins_with(ByteSpan bytes, std::string_view magic) {
    return bytes.size() >= magic.size() && std::memcmp(bytes.data(), magic.data(), magic.size()) == 0;
}

std::uint32_t big_endian(ByteSpan bytes, std::size_t offset, int width) {
    std::uint32_t value = 0;
    for (int i = 0; i < width && offset < bytes.size(); ++i) value = value << 8 | bytes[offset++];
    return value;
}

bool read_png(ByteSpan bytes, IconFacts& facts) {
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    if (png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) == 0) return false;
    image.format = PNG_FORMAT_RGBA;
    facts = {IconKind::png, static_cast<int>(image.width), static_cast<int>(image.height)};
    Bytes pixels(PNG_IMAGE_SIZE(image));
    bool whole = png_image_finish_read(&image, nullptr, pixels.data(), 0, nullptr) != 0;
    png_image_free(&image);
    return whole;
}

bool read_svg(ByteSpan bytes, IconFacts& facts) {
    // Loaded only for an SVG: the library brings forty others with it, which every start would wait for.
    void* library = ::dlopen("librsvg-2.so.2", RTLD_NOW | RTLD_LOCAL);
    if (library == nullptr) return false;
    auto* open_handle =
        reinterpret_cast<decltype(&rsvg_handle_new_from_data)>(::dlsym(library, "rsvg_handle_new_from_data"));
    auto* release = reinterpret_cast<decltype(&g_object_unref)>(::dlsym(library, "g_object_unref"));
    RsvgHandle* handle = open_handle != nullptr ? open_handle(bytes.data(), bytes.size(), nullptr) : nullptr;
    if (handle == nullptr) return false;
    if (release != nullptr) release(handle);
    facts = {IconKind::svg, 0, 0};
    return true;
}

/// The size is in the frame header (ITU-T T.81, B.2.2).
bool read_jpeg(ByteSpan bytes, IconFacts& facts) {
    for (std::size_t at = 2; at + 9 < bytes.size() && bytes[at] == 0xFF;) {
        std::uint8_t marker = bytes[at + 1];
        bool frame = marker >= 0xC0 && marker <= 0xCF && marker != 0xC4 && marker != 0xC8 && marker != 0xCC;
        if (frame) {
            facts = {IconKind::jpeg, static_cast<int>(big_endian(bytes, at + 7, 2)),
                     static_cast<int>(big_endian(bytes, at + 5, 2))};
            return facts.width > 0 && facts.height > 0;
        }
        at += 2 + big_endian(bytes, at + 2, 2);
    }
    return false;
}

/// A directory of pictures, each with its place in the file.
bool read_ico(ByteSpan bytes, IconFacts& facts) {
    facts.kind = IconKind::ico;
    std::size_t count = bytes.size() > 5 ? bytes[4] | bytes[5] << 8 : 0;
    for (std::size_t i = 0; i < count; ++i) {
        std::size_t at = 6 + 16 * i;
        if (at + 16 > bytes.size()) return false;
        std::uint32_t size = 0, offset = 0;
        std::memcpy(&size, bytes.data() + at + 8, 4);
        std::memcpy(&offset, bytes.data() + at + 12, 4);
        if (offset > bytes.size() || size > bytes.size() - offset) return false;
        int width = bytes[at] == 0 ? 256 : bytes[at];
        if (width > facts.width) facts.width = facts.height = width;
    }
    return count > 0;
}

} // namespace

std::string icon_ending(IconKind kind) {
    switch (kind) {
    case IconKind::svg:
        return ".svg";
    case IconKind::png:
        return ".png";
    case IconKind::jpeg:
        return ".jpg";
    case IconKind::ico:
        return ".ico";
    case IconKind::icns:
        return ".icns";
    }
    return ".png";
}

Result<IconFacts> read_icon(const std::filesystem::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return tl::make_unexpected(mapped.error());
    ByteSpan bytes = mapped->bytes();
    IconFacts facts;
    bool known = true, whole = false;
    if (begins_with(bytes, "\x89PNG\r\n\x1a\n"))
        whole = read_png(bytes, facts);
    else if (begins_with(bytes, "\xFF\xD8\xFF"))
        whole = read_jpeg(bytes, facts);
    else if (begins_with(bytes, std::string_view("\0\0\1\0", 4)))
        whole = read_ico(bytes, facts);
    else if (begins_with(bytes, "icns")) {
        facts.kind = IconKind::icns;
        whole = big_endian(bytes, 4, 4) == bytes.size();
    } else if (mapped->text().substr(0, 4096).find("<svg") != std::string_view::npos)
        whole = read_svg(bytes, facts);
    else
        known = false;
    if (whole) return facts;
    return fail(ErrorKind::bad_input, "the icon is no picture", file.string(),
                known ? "it begins as one, but is damaged or cut off"
                      : "its content is none of SVG, PNG, JPEG, ICO and ICNS",
                "name another file with --icon");
}

} // namespace omnistasis::dress
