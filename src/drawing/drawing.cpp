#include "drawing/drawing.h"

#include "support/files.h"
#include "support/late_library.h"

#include <cstdlib>
#include <unistd.h>

namespace omnistasis {

Result<Drawing> Drawing::open(const std::filesystem::path& folder) {
    fs::path file = folder / "drawing.so";
    LateLibrary late(file.string());
    if (!late.is_loaded())
        return fail(
            ErrorKind::missing, "can't draw", file, late.why(),
            "install the packages libgvc6, libcgraph6, librsvg2-2, libgdk-pixbuf-2.0-0 and libturbojpeg0");
    Drawing drawing;
    late.find(drawing.layout_, "drawing_layout");
    late.find(drawing.write_png_, "drawing_write_png");
    late.find(drawing.draw_svg_, "drawing_draw_svg");
    late.find(drawing.svg_size_, "drawing_svg_size");
    late.find(drawing.resample_, "drawing_resample");
    late.find(drawing.decode_jpeg_, "drawing_decode_jpeg");
    late.find(drawing.decode_, "drawing_decode");
    if (!late.why().empty())
        return fail(ErrorKind::fault, "can't draw", file, "the module is not ours",
                    "install Omnistasis anew");
    return drawing;
}

Result<std::string> Drawing::layout(const std::string& graph) const {
    char* plain = layout_(graph.c_str());
    if (plain == nullptr) return fail(ErrorKind::fault, "the graph can't be laid out", "", "", "");
    std::string text = plain;
    std::free(plain);
    return text;
}

Result<void> Drawing::write(const std::string& svg, const std::filesystem::path& file) const {
    if (file.extension() == ".svg") return write_atomically(file, svg);
    if (file.extension() != ".png")
        return fail(ErrorKind::usage, "a figure is written as SVG or PNG", file, "the name ends in neither",
                    "name a file that ends in .svg or .png");
    fs::path temporary =
        file.parent_path() / ("." + file.filename().string() + "." + std::to_string(::getpid()));
    constexpr double scale = 2;
    std::error_code failed;
    if (write_png_(svg.data(), svg.size(), scale, temporary.c_str()) == 0) {
        fs::remove(temporary, failed);
        return fail(ErrorKind::unwritable, "can't write the figure", file,
                    "the folder is not there or can't be written to, or the disk is full",
                    "name a file in another folder");
    }
    fs::rename(temporary, file, failed);
    if (failed) return fail(ErrorKind::unwritable, "can't write the figure", file, failed.message());
    return {};
}

namespace {

Picture empty_square(int edge) {
    return {edge, edge,
            std::vector<std::uint8_t>(static_cast<std::size_t>(edge) * static_cast<std::size_t>(edge) * 4)};
}

} // namespace

std::optional<Picture> Drawing::draw(const std::string& svg, int edge) const {
    Picture picture = empty_square(edge);
    if (draw_svg_(svg.data(), svg.size(), edge, picture.pixels.data()) == 0) return std::nullopt;
    return picture;
}

std::optional<std::pair<double, double>> Drawing::svg_size(const std::string& svg) const {
    double width = 0, height = 0;
    if (svg_size_(svg.data(), svg.size(), &width, &height) == 0) return std::nullopt;
    return std::pair(width, height);
}

Picture Drawing::resampled(const Picture& picture, int edge) const {
    Picture square = empty_square(edge);
    resample_(picture.pixels.data(), picture.width, picture.height, edge, square.pixels.data());
    return square;
}

namespace {

/// Asks for the size, and for the pixels where that is one to have.
template <typename Decode> std::optional<Picture> decoded(Decode decode) {
    constexpr int largest = 16384;
    Picture picture;
    if (decode(picture.width, picture.height, nullptr) == 0) return std::nullopt;
    if (picture.width < 1 || picture.height < 1 || picture.width > largest || picture.height > largest)
        return std::nullopt;
    picture.pixels.resize(static_cast<std::size_t>(picture.width) * static_cast<std::size_t>(picture.height) *
                          4);
    if (decode(picture.width, picture.height, picture.pixels.data()) == 0) return std::nullopt;
    return picture;
}

} // namespace

std::optional<Picture> Drawing::decode_jpeg(const std::string& bytes) const {
    const auto* data = reinterpret_cast<const unsigned char*>(bytes.data());
    return decoded([&](int& width, int& height, unsigned char* pixels) {
        return decode_jpeg_(data, bytes.size(), &width, &height, pixels);
    });
}

std::optional<Picture> Drawing::decode(const std::string& bytes, const char* format) const {
    const auto* data = reinterpret_cast<const unsigned char*>(bytes.data());
    return decoded([&](int& width, int& height, unsigned char* pixels) {
        return decode_(data, bytes.size(), format, &width, &height, pixels);
    });
}

std::string xml_text(const std::string& text) {
    std::string escaped;
    for (char c : text) {
        if (c == '<')
            escaped += "&lt;";
        else if (c == '>')
            escaped += "&gt;";
        else if (c == '&')
            escaped += "&amp;";
        else if (c == '"')
            escaped += "&quot;";
        else if (static_cast<unsigned char>(c) >= 0x20)
            escaped += c;
    }
    return escaped;
}

} // namespace omnistasis
