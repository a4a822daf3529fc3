#include "watch/display.h"

#include "support/files.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <png.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>

extern char** environ;

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
    VirtualDisplay display;
    display.buffer_ = scratch / "Xvfb_screen0";
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0)
        return fail(ErrorKind::missing, "can't open a pipe", "Xvfb", system_text(errno));
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], 3);
    posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
    std::string folder = scratch.string();
    const char* arguments[] = {"Xvfb",   "-displayfd",   "3",         "-screen", "0",    "1280x800x24",
                               "-fbdir", folder.c_str(), "-nolisten", "tcp",     nullptr};
    pid_t process = 0;
    int failed = ::posix_spawnp(&process, "Xvfb", &actions, nullptr, const_cast<char**>(arguments), environ);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    if (failed != 0) {
        ::close(ends[0]);
        return fail(ErrorKind::missing, "can't start a virtual display", "Xvfb", system_text(failed),
                    "install the package xvfb");
    }
    display.process_ = process;
    // It writes its number once programs can reach it.
    std::array<char, 16> text{};
    ssize_t count = 0, size = 0;
    while (size < 15 &&
           (count = ::read(ends[0], text.data() + size, 15 - static_cast<std::size_t>(size))) != 0) {
        if (count < 0 && errno != EINTR) break;
        if (count > 0) size += count;
        if (size > 0 && text[static_cast<std::size_t>(size) - 1] == '\n') break;
    }
    ::close(ends[0]);
    auto [end, error] = std::from_chars(text.data(), text.data() + size, display.number_);
    if (error != std::errc())
        return fail(ErrorKind::missing, "the virtual display does not start", "Xvfb",
                    "it gave no display number");
    display.empty_ = display.last_ = display.pixels();
    return display;
}

VirtualDisplay::VirtualDisplay(VirtualDisplay&& other) noexcept
    : process_(std::exchange(other.process_, -1)), number_(other.number_), buffer_(std::move(other.buffer_)),
      empty_(std::move(other.empty_)), last_(std::move(other.last_)), unchanged_(other.unchanged_) {}

VirtualDisplay::~VirtualDisplay() {
    if (process_ < 0) return;
    ::kill(process_, SIGTERM);
    int status = 0;
    while (::waitpid(process_, &status, 0) < 0 && errno == EINTR) {
    }
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
    return std::string(reinterpret_cast<const char*>(bytes.data()) + start, line * height);
}

bool VirtualDisplay::has_settled() {
    std::string now = pixels();
    bool changed = now != last_;
    last_ = std::move(now);
    unchanged_ = changed || last_ == empty_ ? 0 : unchanged_ + 1;
    return unchanged_ >= settled_after;
}

Result<Picture> VirtualDisplay::take_picture(const fs::path& file) const {
    std::string shown = pixels();
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
        return fail(ErrorKind::missing, "can't write the picture", file, image.message);
    return picture;
}

} // namespace omnistasis::watch
