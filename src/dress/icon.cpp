#include "dress/icon.h"

#include "dress/icon_files.h"
#include "support/files.h"

#include <algorithm>
#include <cstring>
#include <dlfcn.h>
#include <fmt/format.h>
#include <librsvg/rsvg.h>
#include <optional>

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
    Picture picture = picture_of_png(bytes);
    facts = {IconKind::png, picture.width, picture.height};
    return picture.width > 0;
}

/// The largest of several.
bool take_largest(const std::vector<Picture>& pictures, IconKind kind, IconFacts& facts) {
    facts = {kind, 0, 0};
    for (const Picture& picture : pictures)
        if (picture.width > facts.width) {
            facts.width = picture.width;
            facts.height = picture.height;
        }
    return facts.width > 0;
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

namespace {

std::optional<IconKind> kind_of(ByteSpan bytes) {
    if (begins_with(bytes, "\x89PNG\r\n\x1a\n")) return IconKind::png;
    if (begins_with(bytes, "\xFF\xD8\xFF")) return IconKind::jpeg;
    if (begins_with(bytes, std::string_view("\0\0\1\0", 4))) return IconKind::ico;
    if (begins_with(bytes, "icns")) return IconKind::icns;
    if (as_text(bytes).substr(0, 4096).find("<svg") != std::string_view::npos) return IconKind::svg;
    return std::nullopt;
}

tl::unexpected<Error> no_picture(const std::filesystem::path& file, bool is_known) {
    return fail(ErrorKind::bad_input, "the icon is not a picture", file.string(),
                is_known ? "it begins as one, but is damaged or cut off"
                         : "its content is not SVG, PNG, JPEG, ICO or ICNS",
                "name another file with --icon");
}

} // namespace

Result<IconKind> icon_kind(const std::filesystem::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    auto kind = kind_of(mapped->bytes());
    if (!kind) return no_picture(file, false);
    return *kind;
}

Result<IconFacts> read_icon(const std::filesystem::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    ByteSpan bytes = mapped->bytes();
    auto kind = kind_of(bytes);
    if (!kind) return no_picture(file, false);
    IconFacts facts;
    bool whole = false;
    switch (*kind) {
    case IconKind::png:
        whole = read_png(bytes, facts);
        break;
    case IconKind::jpeg:
        whole = read_jpeg(bytes, facts);
        break;
    case IconKind::ico:
        whole = take_largest(pictures_of_ico(bytes), IconKind::ico, facts);
        break;
    case IconKind::icns:
        whole = big_endian(bytes, 4, 4) == bytes.size() &&
                take_largest(pictures_of_icns(bytes), IconKind::icns, facts);
        break;
    case IconKind::svg:
        whole = read_svg(bytes, facts);
        break;
    }
    if (!whole) return no_picture(file, true);
    return facts;
}

Result<IconSource> IconSource::open(const std::filesystem::path& file, const std::filesystem::path& modules) {
    auto facts = read_icon(file);
    if (!facts) return pass_on(facts);
    auto drawing = Drawing::open(modules);
    if (!drawing) return pass_on(drawing);
    auto text = read_text(file);
    if (!text) return pass_on(text);
    IconSource source(*drawing);
    source.facts_ = *facts;
    ByteSpan bytes = as_bytes(*text);
    auto damaged = [&] { return no_picture(file, true); };
    switch (facts->kind) {
    case IconKind::svg: {
        auto size = source.drawing_.svg_size(*text);
        if (!size || !source.drawing_.draw(*text, 16)) return damaged();
        source.facts_.width = static_cast<int>(size->first + 0.5);
        source.facts_.height = static_cast<int>(size->second + 0.5);
        source.svg_ = std::move(*text);
        return source;
    }
    case IconKind::png:
        source.pictures_.push_back(picture_of_png(bytes));
        break;
    case IconKind::jpeg: {
        auto picture = source.drawing_.decode_jpeg(*text);
        if (!picture) return damaged();
        source.pictures_.push_back(std::move(*picture));
        break;
    }
    case IconKind::ico:
        source.pictures_ = pictures_of_ico(bytes);
        break;
    case IconKind::icns:
        source.pictures_ = pictures_of_icns(bytes);
        break;
    }
    std::ranges::stable_sort(source.pictures_, {},
                             [](const Picture& one) { return std::max(one.width, one.height); });
    return source;
}

Picture IconSource::at(int edge) const {
    if (!svg_.empty()) return drawing_.draw(svg_, edge).value_or(Picture{edge, edge, {}});
    for (const Picture& picture : pictures_)
        if (picture.width == edge && picture.height == edge) return picture;
    for (const Picture& picture : pictures_)
        if (std::max(picture.width, picture.height) > edge) return drawing_.resampled(picture, edge);
    return drawing_.resampled(pictures_.back(), edge);
}

std::vector<std::string> icon_remarks(const IconFacts& facts, int edge) {
    int largest = std::max(facts.width, facts.height);
    std::vector<std::string> remarks;
    if (facts.width != facts.height)
        remarks.push_back(
            fmt::format("the picture is not square ({} x {}): it stands in the middle of a square, with "
                        "nothing around it",
                        facts.width, facts.height));
    if (facts.kind != IconKind::svg && largest < edge)
        remarks.push_back(
            fmt::format("the picture is small ({} x {}): icons larger than {} pixels are enlarged, and "
                        "look soft; a drawing (SVG) or {} x {} pixels would be sharp",
                        facts.width, facts.height, largest, edge, edge));
    return remarks;
}

} // namespace omnistasis::dress
