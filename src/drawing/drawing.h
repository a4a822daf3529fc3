#pragma once

#include "support/error.h"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis {

/// A picture in memory: four bytes a pixel, red, green, blue and how much it covers; rows from the top.
struct Picture {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> pixels;
};

/// What draws and reads pictures with large libraries: a module beside the launchers, loaded when it is
/// needed.
class Drawing {
  public:
    /// `folder` is where Omnistasis has its launchers.
    static Result<Drawing> open(const std::filesystem::path& folder);

    /// A graph in Graphviz's language, laid out; in its "plain" format.
    Result<std::string> layout(const std::string& graph) const;

    /// Writes a figure under a name that ends in .svg or .png (twice as many pixels as the figure has units).
    Result<void> write(const std::string& svg, const std::filesystem::path& file) const;

    /// Draws an SVG document as large as it fits into a square, in the middle of it. Nothing where it is
    /// none.
    std::optional<Picture> draw(const std::string& svg, int edge) const;
    /// The size of an SVG document in its own units; nothing where it is none.
    std::optional<std::pair<double, double>> svg_size(const std::string& svg) const;

    /// The picture in another size, in the middle of a square.
    Picture resampled(const Picture& picture, int edge) const;

    /// Decodes a JPEG (ITU-T T.81); nothing where it is damaged.
    std::optional<Picture> decode_jpeg(const std::string& bytes) const;

    /// Decodes the first picture of a file of a `format` by the name that GdkPixbuf has for it: "ico",
    /// "icns". Nothing where it is damaged.
    std::optional<Picture> decode(const std::string& bytes, const char* format) const;

  private:
    using DrawSvg = int (*)(const char*, unsigned long, int, unsigned char*);
    using SvgSize = int (*)(const char*, unsigned long, double*, double*);
    using Resample = void (*)(const unsigned char*, int, int, int, unsigned char*);
    using DecodeJpeg = int (*)(const unsigned char*, unsigned long, int*, int*, unsigned char*);
    using Decode = int (*)(const unsigned char*, unsigned long, const char*, int*, int*, unsigned char*);
    DrawSvg draw_svg_ = nullptr;
    SvgSize svg_size_ = nullptr;
    Resample resample_ = nullptr;
    DecodeJpeg decode_jpeg_ = nullptr;
    Decode decode_ = nullptr;
    using Layout = char* (*)(const char*);
    using WritePng = int (*)(const char*, unsigned long, double, const char*);
    Layout layout_ = nullptr;
    WritePng write_png_ = nullptr;
};

/// Text as it stands in XML.
std::string xml_text(const std::string& text);

} // namespace omnistasis
