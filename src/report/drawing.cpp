#include "report/drawing.h"

#include "support/files.h"

#include <cstdlib>
#include <dlfcn.h>
#include <unistd.h>

namespace omnistasis::report {

Result<Drawing> Drawing::open(const std::filesystem::path& folder) {
    fs::path file = folder / "drawing.so";
    void* module = ::dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
    if (module == nullptr)
        return fail(ErrorKind::missing, "can't draw figures", file, ::dlerror(),
                    "install the packages libgvc6, libcgraph6 and librsvg2-2");
    Drawing drawing;
    drawing.layout_ = reinterpret_cast<Layout>(::dlsym(module, "drawing_layout"));
    drawing.write_png_ = reinterpret_cast<WritePng>(::dlsym(module, "drawing_write_png"));
    if (drawing.layout_ == nullptr || drawing.write_png_ == nullptr)
        return fail(ErrorKind::fault, "can't draw figures", file, "the module is not ours",
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
        return fail(ErrorKind::missing, "can't write the figure", file,
                    "the folder is not there or can't be written to, or the disk is full",
                    "name a file in another folder");
    }
    fs::rename(temporary, file, failed);
    if (failed) return fail(ErrorKind::missing, "can't write the figure", file, failed.message());
    return {};
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

} // namespace omnistasis::report
