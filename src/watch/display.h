#pragma once

#include "support/subprocess.h"

#include <filesystem>
#include <string>

namespace omnistasis::watch {

/// What a picture of a display shows.
struct Picture {
    bool has_window = false; ///< something stands out from the empty display
    bool blank = false;      ///< the window is of one colour
    int width = 0;           ///< of the part that stands out, in pixels
    int height = 0;
};

/// A virtual display (Xvfb) of 1280x800, for a program that has a window. It ends with the object.
class VirtualDisplay {
  public:
    /// `scratch` is a folder for its picture buffer.
    static Result<VirtualDisplay> start(const std::filesystem::path& scratch);

    std::string name() const { return ":" + std::to_string(number_); }
    /// The socket that programs reach it by.
    std::filesystem::path socket() const { return "/tmp/.X11-unix/X" + std::to_string(number_); }

    /// Whether a window has come up and has not changed for a while (or whether none came in time). To be
    /// called again and again.
    bool has_settled();

    /// Writes what was to be seen when `has_settled` was called for the last time as a PNG file.
    Result<Picture> take_picture(const std::filesystem::path& file) const;

  private:
    VirtualDisplay(BackgroundProgram server, int number, std::filesystem::path buffer)
        : server_(std::move(server)), number_(number), buffer_(std::move(buffer)) {}
    std::string pixels() const;

    BackgroundProgram server_;
    int number_;
    std::filesystem::path buffer_; ///< the display's memory, in X's window dump format (X11/XWDFile.h)
    std::string empty_;            ///< the pixels before anything was shown
    std::string last_;
    int unchanged_ = 0; ///< calls since the picture changed
};

} // namespace omnistasis::watch
