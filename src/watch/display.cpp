#include "watch/display.h"

#include "support/files.h"

#include <algorithm>
#include <charconv>
#include <cstring>
#include <png.h>

namespace omnistasis::watch {

namespace {

constexpr int width = 1280, height = 800;
constexpr int settled_after = 16; ///< calls without a change; they come about 20 times a second

/// A field of the dump's header: big-endian, four bytes.
std::uint32_t field(ByteSpan bytes, std::size_t number) {
    std::size_t at = number * 4;
    if (at + 4 > bytes.size()) return 0;
    return (std::uint32_t(bytes[at]) << 24) | (std::uint32_t(bytes[at + 1]) << 16) |
           (std::uint32_t(bytes[at + 2]) << 8) | bytes[at + 3];
}

} // namespace

Result<VirtualDisplay> VirtualDisplay::start(const fs::path& scratch) {
    auto server = BackgroundProgram::start({"Xvfb", "-displayfd", "3", "-screen", "0", "1280x800x24",
                                            "-fbdir", scratch.string(), "-nolisten", "tcp", "-noreset"});
    if (!server)
        return fail(ErrorKind::missing, "can't start a virtual display", "Xvfb", server.error().why,
                    "install the package xvfb");
    // It tells its number once programs can reach it.
    const std::string& answer = server->answer();
    int number = 0;
    auto [end, error] = std::from_chars(answer.data(), answer.data() + answer.size(), number);
    if (error != std::errc())
        return fail(ErrorKind::missing, "the virtual display does not start", "Xvfb",
                    "it gave no display number");
    VirtualDisplay display(std::move(*server), number, scratch / "Xvfb_screen0");
    display.empty_ = display.last_ = display.pixels();
    return display;
}

/// The display's pixels, four bytes each: blue, green, red, nothing.
std::string VirtualDisplay::pixels() const {
    auto dump = MappedFile::open(buffer_);
    if (!dump) return {};
    ByteSpan bytes = dump->bytes();
    std::size_t header = field(bytes, 0), colours = field(bytes, 19), line = field(bytes, 12);
    bool fits =
        field(bytes, 4) == width && field(bytes, 5) == height && field(bytes, 11) == 32 && line == width * 4;
    std::size_t start = header + colours * 12;
    if (!fits || header > bytes.size() || colours > 4096 ||
        bytes.size() - header < colours * 12 + line * height)
        return {};
    return std::string(as_text(bytes).substr(start, line * height));
}

bool VirtualDisplay::has_settled() {
    std::string now = pixels();
    bool changed = now != last_;
    last_ = std::move(now);
    unchanged_ = changed || last_ == empty_ ? 0 : unchanged_ + 1;
    return unchanged_ >= settled_after;
}

Result<Picture> VirtualDisplay::take_picture(const fs::path& file) const {
    std::string shown = last_;
    if (shown.empty())
        return fail(ErrorKind::fault, "the virtual display's picture can't be read", buffer_,
                    "its format is another");
    Picture picture;
    int left = width, top = height, right = -1, bottom = -1;
    auto pixel = [](const std::string& all, int x, int y) {
        std::uint32_t value = 0;
        std::memcpy(&value,
                    all.data() + (static_cast<std::size_t>(y) * width + static_cast<std::size_t>(x)) * 4, 4);
        return value & 0xFFFFFF;
    };
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            if (pixel(shown, x, y) != pixel(empty_, x, y)) {
                left = std::min(left, x);
                right = std::max(right, x);
                top = std::min(top, y);
                bottom = y;
            }
    picture.has_window = right >= 0;
    if (picture.has_window) {
        picture.width = right - left + 1;
        picture.height = bottom - top + 1;
        picture.blank = true;
        for (int y = top; y <= bottom && picture.blank; ++y)
            for (int x = left; x <= right && picture.blank; ++x)
                picture.blank = pixel(shown, x, y) == pixel(shown, left, top);
    }
    for (std::size_t i = 3; i < shown.size(); i += 4)
        shown[i] = '\xff'; // the byte that the display does not use
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = width;
    image.height = height;
    image.format = PNG_FORMAT_BGRA;
    if (png_image_write_to_file(&image, file.c_str(), 0, shown.data(), width * 4, nullptr) == 0)
        return fail(ErrorKind::unwritable, "can't write the picture", file, image.message);
    return picture;
}

} // namespace omnistasis::watch
