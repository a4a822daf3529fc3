#include "dress/icon_files.h"

#include "support/byte_view.h"
#include "support/byte_writer.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <png.h>

namespace omnistasis::dress {

const std::vector<int> windows_icon_edges{16, 20, 24, 32, 40, 48, 64, 96, 128, 256};
const std::vector<int> macos_icon_edges{16, 32, 64, 128, 256, 512, 1024};
const std::vector<int> linux_icon_edges{16, 22, 24, 32, 48, 64, 96, 128, 256, 512};

namespace {

constexpr int largest_edge = 16384;

bool is_png(ByteSpan bytes) {
    return bytes.size() > 8 && std::memcmp(bytes.data(), "\x89PNG\r\n\x1a\n", 8) == 0;
}

/// What an ICNS calls its pictures; the same size can be there plain and at double density.
struct IcnsType {
    const char* name;
    int edge;
};
constexpr IcnsType icns_types[] = {{"ic11", 32},  {"ic12", 64},  {"ic07", 128},  {"ic13", 256}, {"ic08", 256},
                                   {"ic14", 512}, {"ic09", 512}, {"ic10", 1024}, {"icp4", 16},  {"icp5", 32}};
/// The last two of those are read, and not written: the small plain ones are in the form of old, which all
/// readers know. Three colours packed by runs, and the cover in an entry of its own.
constexpr IcnsType icns_colours[] = {{"is32", 16}, {"il32", 32}, {"ih32", 48}, {"it32", 128}};
constexpr IcnsType icns_covers[] = {{"s8mk", 16}, {"l8mk", 32}, {"h8mk", 48}, {"t8mk", 128}};

/// One colour, packed.
std::string packed_runs(const Picture& picture, std::size_t channel) {
    std::string out, plain;
    auto at = [&](std::size_t pixel) { return static_cast<char>(picture.pixels[4 * pixel + channel]); };
    std::size_t count = picture.pixels.size() / 4;
    auto flush = [&] {
        if (!plain.empty()) out += static_cast<char>(plain.size() - 1) + plain;
        plain.clear();
    };
    for (std::size_t pixel = 0; pixel < count;) {
        std::size_t run = 1;
        while (pixel + run < count && run < 130 && at(pixel + run) == at(pixel)) ++run;
        if (run >= 3) {
            flush();
            out += static_cast<char>(run + 125);
            out += at(pixel);
            pixel += run;
        } else {
            plain += at(pixel++);
            if (plain.size() == 128) flush();
        }
    }
    flush();
    return out;
}

} // namespace

std::string png_bytes(const Picture& picture) {
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    image.width = static_cast<png_uint_32>(picture.width);
    image.height = static_cast<png_uint_32>(picture.height);
    image.format = PNG_FORMAT_RGBA;
    png_alloc_size_t size = 0;
    png_image_write_to_memory(&image, nullptr, &size, 0, picture.pixels.data(), 0, nullptr);
    std::string bytes(size, '\0');
    png_image_write_to_memory(&image, bytes.data(), &size, 0, picture.pixels.data(), 0, nullptr);
    bytes.resize(size);
    return bytes;
}

Picture picture_of_png(ByteSpan bytes) {
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    if (!is_png(bytes) || png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) == 0)
        return {};
    image.format = PNG_FORMAT_RGBA;
    bool fits = image.width <= largest_edge && image.height <= largest_edge;
    Picture picture;
    if (fits) {
        picture.pixels.resize(PNG_IMAGE_SIZE(image));
        if (png_image_finish_read(&image, nullptr, picture.pixels.data(), 0, nullptr) != 0) {
            picture.width = static_cast<int>(image.width);
            picture.height = static_cast<int>(image.height);
        }
    }
    png_image_free(&image);
    return picture;
}

std::string icon_image(const Picture& picture) {
    if (picture.width >= 256) return png_bytes(picture);
    auto width = static_cast<std::size_t>(picture.width), height = static_cast<std::size_t>(picture.height);
    std::size_t mask_row = (width + 31) / 32 * 4;
    std::string out;
    put_little(out, 40, 4);
    put_little(out, static_cast<std::uint64_t>(width), 4);
    put_little(out, static_cast<std::uint64_t>(2 * height), 4);
    put_little(out, 1, 2);
    put_little(out, 32, 2);
    put_little(out, 0, 4);
    put_little(out, static_cast<std::uint64_t>(height * (width * 4 + mask_row)), 4);
    for (int i = 0; i < 4; ++i) put_little(out, 0, 4);
    for (std::size_t y = height; y-- > 0;)
        for (std::size_t x = 0; x < width; ++x) {
            const std::uint8_t* pixel = picture.pixels.data() + (y * width + x) * 4;
            for (int channel : {2, 1, 0, 3}) out += static_cast<char>(pixel[channel]);
        }
    for (std::size_t y = height; y-- > 0;) {
        std::string row(mask_row, '\0');
        for (std::size_t x = 0; x < width; ++x)
            if (picture.pixels[(y * width + x) * 4 + 3] == 0)
                row[x / 8] = static_cast<char>(static_cast<unsigned char>(row[x / 8]) | 0x80u >> (x % 8));
        out += row;
    }
    return out;
}

std::string ico_bytes(const std::vector<Picture>& pictures) {
    std::string head, body;
    put_little(head, 0, 2);
    put_little(head, 1, 2);
    put_little(head, static_cast<std::uint64_t>(pictures.size()), 2);
    for (const Picture& picture : pictures) {
        std::string image = icon_image(picture);
        head += static_cast<char>(picture.width >= 256 ? 0 : picture.width);
        head += static_cast<char>(picture.height >= 256 ? 0 : picture.height);
        put_little(head, 0, 2);
        put_little(head, 1, 2);
        put_little(head, 32, 2);
        put_little(head, static_cast<std::uint64_t>(image.size()), 4);
        put_little(head, static_cast<std::uint64_t>(6 + 16 * pictures.size() + body.size()), 4);
        body += image;
    }
    return head + body;
}

std::string icns_bytes(const std::vector<Picture>& pictures) {
    std::string body;
    auto add = [&](const char* name, const std::string& bytes) {
        body += name;
        put_big(body, 8 + bytes.size(), 4);
        body += bytes;
    };
    for (std::size_t i = 0; i < 2; ++i)
        for (const Picture& picture : pictures) {
            if (picture.width != icns_colours[i].edge) continue;
            std::string cover;
            for (std::size_t at = 3; at < picture.pixels.size(); at += 4)
                cover += static_cast<char>(picture.pixels[at]);
            add(icns_colours[i].name,
                packed_runs(picture, 0) + packed_runs(picture, 1) + packed_runs(picture, 2));
            add(icns_covers[i].name, cover);
            break;
        }
    for (const IcnsType& type : std::span(icns_types).first(std::size(icns_types) - 2))
        for (const Picture& picture : pictures) {
            if (picture.width != type.edge || picture.height != type.edge) continue;
            add(type.name, png_bytes(picture));
            break;
        }
    std::string head = "icns";
    put_big(head, 8 + body.size(), 4);
    return head + body;
}

std::vector<std::string> parts_of_ico(ByteSpan bytes) {
    ByteView view(bytes);
    std::vector<std::string> parts;
    if (view.half(0) != 0 || view.half(2) != 1) return parts;
    constexpr std::uint64_t head = 6, entry = 16;
    for (std::uint64_t i = 0; i < view.half(4) && view.holds(head + entry * i, entry); ++i) {
        std::uint64_t at = head + entry * i;
        std::uint32_t size = view.word(at + 8), offset = view.word(at + 12);
        if (!view.holds(offset, size)) continue;
        ByteSpan image = view.part(offset, size);
        std::string part;
        if (!is_png(image)) {
            put_little(part, 0, 2);
            put_little(part, 1, 2);
            put_little(part, 1, 2);
            part += as_text(view.part(at, entry - 4));
            put_little(part, head + entry, 4);
        }
        parts.push_back(part + std::string(as_text(image)));
    }
    return parts;
}

std::vector<std::string> parts_of_icns(ByteSpan bytes) {
    std::vector<std::string> parts;
    if (bytes.size() < 8 || std::memcmp(bytes.data(), "icns", 4) != 0) return parts;
    auto word = [&](std::size_t at) {
        std::uint32_t value = 0;
        for (std::size_t i = 0; i < 4; ++i) value = value << 8 | bytes[at + i];
        return value;
    };
    // With its head of eight bytes; empty where it is not there.
    auto entry = [&](const char* name) -> ByteSpan {
        for (std::size_t at = 8; at + 8 <= bytes.size();) {
            std::uint32_t size = word(at + 4);
            if (size < 8 || size > bytes.size() - at) return {};
            if (std::memcmp(bytes.data() + at, name, 4) == 0) return bytes.subspan(at, size);
            at += size;
        }
        return {};
    };
    for (const IcnsType& type : icns_types)
        if (ByteSpan image = entry(type.name); image.size() > 8 && is_png(image.subspan(8)))
            parts.emplace_back(as_text(image.subspan(8)));
    for (std::size_t i = 0; i < std::size(icns_colours); ++i) {
        std::string body(as_text(entry(icns_colours[i].name)));
        if (body.empty()) continue;
        body += as_text(entry(icns_covers[i].name));
        std::string part = "icns";
        put_big(part, 8 + body.size(), 4);
        parts.push_back(part + body);
    }
    return parts;
}

} // namespace omnistasis::dress
