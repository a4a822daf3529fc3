#include "dress/icon.h"

#include "dress/icon_files.h"
#include "support/files.h"

#include <algorithm>
#include <cstring>
#include <fmt/format.h>
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

namespace {

/// Old files of 32 bits leave the cover empty: such a picture covers all.
void cover_where_nothing_does(Picture& picture) {
    for (std::size_t at = 3; at < picture.pixels.size(); at += 4)
        if (picture.pixels[at] != 0) return;
    for (std::size_t at = 3; at < picture.pixels.size(); at += 4) picture.pixels[at] = 255;
}

} // namespace

Result<IconSource> IconSource::open(const std::filesystem::path& file, const std::filesystem::path& modules) {
    auto text = read_text(file);
    if (!text) return pass_on(text);
    ByteSpan bytes = as_bytes(*text);
    auto kind = kind_of(bytes);
    if (!kind) return no_picture(file, false);
    auto drawing = Drawing::open(modules);
    if (!drawing) return pass_on(drawing);
    IconSource source(*drawing);
    source.facts_.kind = *kind;
    auto take = [&](std::optional<Picture> picture) {
        if (!picture || picture->width == 0) return;
        if (*kind == IconKind::ico) cover_where_nothing_does(*picture);
        source.pictures_.push_back(std::move(*picture));
    };
    auto take_parts = [&](const std::vector<std::string>& parts, const char* format) {
        for (const std::string& part : parts) {
            Picture png = picture_of_png(as_bytes(part));
            take(png.width > 0 ? std::move(png) : source.drawing_.decode(part, format));
        }
    };
    switch (*kind) {
    case IconKind::svg: {
        auto size = source.drawing_.svg_size(*text);
        if (!size || !source.drawing_.draw(*text, 16)) return no_picture(file, true);
        source.facts_.width = static_cast<int>(size->first + 0.5);
        source.facts_.height = static_cast<int>(size->second + 0.5);
        source.svg_ = std::move(*text);
        return source;
    }
    case IconKind::png:
        take(picture_of_png(bytes));
        break;
    case IconKind::jpeg:
        take(source.drawing_.decode_jpeg(*text));
        break;
    case IconKind::ico:
        take_parts(parts_of_ico(bytes), "ico");
        break;
    case IconKind::icns:
        if (big_endian(bytes, 4, 4) == bytes.size()) take_parts(parts_of_icns(bytes), "icns");
        break;
    }
    if (source.pictures_.empty()) return no_picture(file, true);
    std::ranges::stable_sort(source.pictures_, {},
                             [](const Picture& one) { return std::max(one.width, one.height); });
    source.facts_.width = source.pictures_.back().width;
    source.facts_.height = source.pictures_.back().height;
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
