#include "message_window.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

namespace omnistasis::launcher {

namespace {

constexpr unsigned columns = 72;
constexpr unsigned most_lines = 16;
constexpr unsigned line_height = 17, character_width = 6, margin = 24;
constexpr const char* close_hint = "Press a key, or close this window.";

/// A connection to an X server and what is about to be sent to it.
class Display {
  public:
    ~Display() {
        if (socket_ >= 0) close(socket_);
    }

    /// Opens the display that DISPLAY names, if it is on this machine.
    bool open() {
        const char* name = getenv("DISPLAY");
        if (name == nullptr) return false;
        const char* colon = strrchr(name, ':');
        if (colon == nullptr || (colon != name && strncmp(name, "unix", 4) != 0)) return false;
        number_ = atoi(colon + 1);
        sockaddr_un address{};
        address.sun_family = AF_UNIX;
        snprintf(address.sun_path, sizeof address.sun_path, "/tmp/.X11-unix/X%d", number_);
        socket_ = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
        return socket_ >= 0 && connect(socket_, reinterpret_cast<sockaddr*>(&address), sizeof address) == 0 &&
               greet();
    }

    void put8(unsigned value) {
        if (used_ < sizeof out_) out_[used_++] = static_cast<uint8_t>(value);
    }
    void put16(unsigned value) { put8(value), put8(value >> 8); }
    void put32(uint32_t value) { put16(value & 0xffff), put16(value >> 16); }
    void put_text(const char* text, size_t length) {
        for (size_t i = 0; i < length; ++i) put8(static_cast<uint8_t>(text[i]));
        while (used_ % 4 != 0) put8(0);
    }

    bool send() {
        size_t sent = 0;
        while (sent < used_) {
            ssize_t count = ::send(socket_, out_ + sent, used_ - sent, MSG_NOSIGNAL);
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return false;
            sent += static_cast<size_t>(count);
        }
        used_ = 0;
        return true;
    }

    bool receive(uint8_t* data, size_t size) {
        while (size > 0) {
            ssize_t count = read(socket_, data, size);
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return false;
            data += count;
            size -= static_cast<size_t>(count);
        }
        return true;
    }

    /// The number of an atom (InternAtom), made where it is missing.
    uint32_t atom(const char* name) {
        size_t length = strlen(name);
        put8(16), put8(0), put16(static_cast<unsigned>(2 + (length + 3) / 4));
        put16(static_cast<unsigned>(length)), put16(0);
        put_text(name, length);
        uint8_t reply[32];
        // Nothing else is asked before, so the next thing that comes is the answer.
        return send() && receive(reply, sizeof reply) && reply[0] == 1 ? number(reply + 8) : 0;
    }

    uint32_t new_id() { return ids_ | next_id_++; }
    uint32_t root() const { return root_; }
    unsigned width() const { return width_; }
    unsigned height() const { return height_; }
    uint32_t black() const { return black_; }
    uint32_t white() const { return white_; }

    static uint32_t number(const uint8_t* at) {
        return at[0] | uint32_t(at[1]) << 8 | uint32_t(at[2]) << 16 | uint32_t(at[3]) << 24;
    }

  private:
    /// The connection's setup (section 8).
    bool greet() {
        uint8_t cookie[64];
        size_t cookie_size = read_cookie(cookie, sizeof cookie);
        const char* method = cookie_size > 0 ? "MIT-MAGIC-COOKIE-1" : "";
        put8('l'), put8(0), put16(11), put16(0);
        put16(static_cast<unsigned>(strlen(method))), put16(static_cast<unsigned>(cookie_size)), put16(0);
        put_text(method, strlen(method));
        put_text(reinterpret_cast<const char*>(cookie), cookie_size);
        uint8_t head[8];
        if (!send() || !receive(head, sizeof head) || head[0] != 1) return false;
        size_t size = size_t(head[6] | head[7] << 8) * 4;
        auto* setup = static_cast<uint8_t*>(malloc(size));
        bool right = setup != nullptr && size >= 32 && receive(setup, size);
        if (right) {
            ids_ = number(setup + 4);
            size_t vendor = size_t(setup[16] | setup[17] << 8), formats = setup[21];
            size_t screen = 32 + (vendor + 3) / 4 * 4 + formats * 8;
            right = screen + 40 <= size;
            if (right) {
                root_ = number(setup + screen);
                white_ = number(setup + screen + 8);
                black_ = number(setup + screen + 12);
                width_ = setup[screen + 20] | unsigned(setup[screen + 21]) << 8;
                height_ = setup[screen + 22] | unsigned(setup[screen + 23]) << 8;
            }
        }
        free(setup);
        return right;
    }

    /// The user's key for this display, from the authority file: records of family (2 bytes, big-endian), and
    /// address, number, name and data, each with its length in front.
    size_t read_cookie(uint8_t* cookie, size_t room) const {
        char path[4096];
        const char* named = getenv("XAUTHORITY");
        const char* home = getenv("HOME");
        if (named != nullptr)
            snprintf(path, sizeof path, "%s", named);
        else
            snprintf(path, sizeof path, "%s/.Xauthority", home == nullptr ? "" : home);
        FILE* file = fopen(path, "re");
        if (file == nullptr) return 0;
        size_t found = 0;
        char wanted[16];
        snprintf(wanted, sizeof wanted, "%d", number_);
        uint8_t family[2], part[4][256];
        size_t size[4] = {};
        while (found == 0 && fread(family, 2, 1, file) == 1) {
            bool whole = true;
            for (int i = 0; i < 4 && whole; ++i) {
                uint8_t length[2];
                whole = fread(length, 2, 1, file) == 1;
                size[i] = size_t(length[0]) << 8 | length[1];
                whole = whole && size[i] < sizeof part[i] &&
                        (size[i] == 0 || fread(part[i], size[i], 1, file) == 1);
            }
            if (!whole) break;
            bool ours = size[1] == 0 || (size[1] == strlen(wanted) && memcmp(part[1], wanted, size[1]) == 0);
            bool known = size[2] == 18 && memcmp(part[2], "MIT-MAGIC-COOKIE-1", 18) == 0;
            if (ours && known && size[3] <= room) {
                memcpy(cookie, part[3], size[3]);
                found = size[3];
            }
        }
        fclose(file);
        return found;
    }

    int socket_ = -1;
    int number_ = 0;
    uint32_t ids_ = 0, next_id_ = 1, root_ = 0, white_ = 0, black_ = 0;
    unsigned width_ = 0, height_ = 0;
    uint8_t out_[8192];
    size_t used_ = 0;
};

/// A text in lines, broken at spaces where that can be.
struct Lines {
    const char* start[most_lines];
    size_t length[most_lines];
    unsigned count = 0;

    explicit Lines(const char* text) {
        while (*text != 0 && count < most_lines) {
            size_t size = strcspn(text, "\n"), skipped = 0;
            if (size > columns) {
                size = columns;
                for (size_t i = columns; i > columns / 2; --i)
                    if (text[i] == ' ') {
                        size = i;
                        break;
                    }
            }
            start[count] = text;
            length[count++] = size;
            while (text[size + skipped] == ' ' || text[size + skipped] == '\n') ++skipped;
            text += size + skipped;
        }
    }
};

constexpr uint32_t event_mask = 1 << 0 | 1 << 2 | 1 << 15; ///< keys, buttons, exposure

void set_property(Display& display, uint32_t window, uint32_t property, uint32_t type, unsigned format,
                  const void* data, size_t count) {
    size_t bytes = count * format / 8;
    display.put8(18), display.put8(0), display.put16(static_cast<unsigned>(6 + (bytes + 3) / 4));
    display.put32(window), display.put32(property), display.put32(type);
    display.put8(format), display.put8(0), display.put16(0), display.put32(static_cast<uint32_t>(count));
    display.put_text(static_cast<const char*>(data), bytes);
}

void draw_line(Display& display, uint32_t window, uint32_t pen, unsigned row, const char* text,
               size_t length) {
    if (length > 255) length = 255;
    display.put8(76), display.put8(static_cast<unsigned>(length));
    display.put16(static_cast<unsigned>(4 + (length + 3) / 4));
    display.put32(window), display.put32(pen), display.put16(margin);
    display.put16(margin + line_height * (row + 1) - 4);
    display.put_text(text, length);
}

} // namespace

void show_message(const char* title, const char* text) {
    Display display;
    if (!display.open()) return;
    uint32_t protocols = display.atom("WM_PROTOCOLS"), closing = display.atom("WM_DELETE_WINDOW"),
             name = display.atom("_NET_WM_NAME"), utf8 = display.atom("UTF8_STRING");
    Lines lines(text);
    unsigned width = columns * character_width + 2 * margin,
             height = (lines.count + 2) * line_height + 2 * margin;
    uint32_t window = display.new_id(), font = display.new_id(), pen = display.new_id();

    // OpenFont, CreateWindow, CreateGC, the window's properties, MapWindow
    const char* font_name = "fixed"; // the one that every server has in itself
    display.put8(45), display.put8(0), display.put16(3 + 2), display.put32(font), display.put16(5),
        display.put16(0);
    display.put_text(font_name, 5);
    display.put8(1), display.put8(0), display.put16(8 + 2), display.put32(window),
        display.put32(display.root());
    display.put16(display.width() > width ? (display.width() - width) / 2 : 0);
    display.put16(display.height() > height ? (display.height() - height) / 3 : 0);
    display.put16(width), display.put16(height), display.put16(1), display.put16(1), display.put32(0);
    display.put32(1 << 1 | 1 << 11), display.put32(display.white()), display.put32(event_mask);
    display.put8(55), display.put8(0), display.put16(4 + 3), display.put32(pen), display.put32(window);
    display.put32(1 << 2 | 1 << 3 | 1 << 14);
    display.put32(display.black()), display.put32(display.white()), display.put32(font);
    constexpr uint32_t of_name = 39, of_text = 31, of_atoms = 4; // predefined atoms
    set_property(display, window, of_name, of_text, 8, title, strlen(title));
    set_property(display, window, name, utf8, 8, title, strlen(title));
    set_property(display, window, protocols, of_atoms, 32, &closing, 1);
    display.put8(8), display.put8(0), display.put16(2), display.put32(window);
    if (!display.send()) return;

    uint8_t event[32];
    while (display.receive(event, sizeof event)) {
        unsigned kind = event[0] & 0x7f;
        if (kind == 12) { // Expose
            for (unsigned i = 0; i < lines.count; ++i)
                draw_line(display, window, pen, i, lines.start[i], lines.length[i]);
            draw_line(display, window, pen, lines.count + 1, close_hint, strlen(close_hint));
            if (!display.send()) return;
        }
        // A key, a button, or the window manager's wish.
        if (kind == 2 || kind == 4 || (kind == 33 && Display::number(event + 12) == closing)) return;
        if (kind == 1) { // a reply has a length of its own; none is asked for here
            return;
        }
    }
}

} // namespace omnistasis::launcher
