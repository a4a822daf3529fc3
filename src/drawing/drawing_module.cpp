// What needs large libraries for drawing, as a module of its own that is loaded when something is drawn: they
// bring dozens of others with them, for which every start of the program would wait.

#include "drawing/drawing_module.h"

#include <algorithm>
#include <cairo.h>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <gdk-pixbuf/gdk-pixbuf.h>
#include <graphviz/cgraph.h>
#include <graphviz/gvc.h>
#include <librsvg/rsvg.h>
#include <png.h>
#include <turbojpeg.h>
#include <vector>

char* drawing_layout(const char* graph) {
    GVC_t* context = gvContext();
    Agraph_t* parsed = agmemread(graph);
    char* plain = nullptr;
    if (context != nullptr && parsed != nullptr && gvLayout(context, parsed, "dot") == 0) {
        char* data = nullptr;
        unsigned size = 0;
        if (gvRenderData(context, parsed, "plain", &data, &size) == 0 && data != nullptr) {
            plain = static_cast<char*>(std::malloc(size + 1));
            if (plain != nullptr) {
                std::memcpy(plain, data, size);
                plain[size] = 0;
            }
            gvFreeRenderData(data);
        }
        gvFreeLayout(context, parsed);
    }
    if (parsed != nullptr) agclose(parsed);
    if (context != nullptr) gvFreeContext(context);
    return plain;
}

namespace {

/// Figures are large, and mostly even areas: without filters and with little search they take a fourth of the
/// time, and as much room.
bool write_png(cairo_surface_t* surface, const char* file) {
    cairo_surface_flush(surface);
    const unsigned char* data = cairo_image_surface_get_data(surface);
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    image.width = static_cast<png_uint_32>(cairo_image_surface_get_width(surface));
    image.height = static_cast<png_uint_32>(cairo_image_surface_get_height(surface));
    image.format = PNG_FORMAT_RGB;
    image.flags = PNG_IMAGE_FLAG_FAST;
    std::vector<unsigned char> pixels(PNG_IMAGE_SIZE(image));
    auto* out = pixels.data();
    for (png_uint_32 y = 0; y < image.height; ++y) {
        const unsigned char* row =
            data +
            static_cast<std::size_t>(y) * static_cast<std::size_t>(cairo_image_surface_get_stride(surface));
        for (png_uint_32 x = 0; x < image.width; ++x) {
            std::uint32_t word = 0;
            std::memcpy(&word, row + std::size_t(4) * x, 4);
            for (int shift : {16, 8, 0}) *out++ = static_cast<unsigned char>(word >> shift);
        }
    }
    return png_image_write_to_file(&image, file, 0, pixels.data(), 0, nullptr) != 0;
}

} // namespace

int drawing_write_png(const char* svg, unsigned long size, double scale, const char* file) {
    RsvgHandle* handle = rsvg_handle_new_from_data(reinterpret_cast<const guint8*>(svg), size, nullptr);
    if (handle == nullptr) return 0;
    double width = 0, height = 0;
    bool drawn =
        rsvg_handle_get_intrinsic_size_in_pixels(handle, &width, &height) != 0 && width > 0 && height > 0;
    if (drawn) {
        cairo_surface_t* surface =
            cairo_image_surface_create(CAIRO_FORMAT_ARGB32, static_cast<int>(std::ceil(width * scale)),
                                       static_cast<int>(std::ceil(height * scale)));
        cairo_t* context = cairo_create(surface);
        RsvgRectangle all{0, 0, width * scale, height * scale};
        cairo_set_source_rgb(context, 1, 1, 1);
        cairo_paint(context);
        drawn = rsvg_handle_render_document(handle, context, &all, nullptr) != 0 && write_png(surface, file);
        cairo_destroy(context);
        cairo_surface_destroy(surface);
    }
    g_object_unref(handle);
    return drawn ? 1 : 0;
}

namespace {

/// Cairo multiplies colours with the cover, and has the four in a machine word.
void take_pixels(cairo_surface_t* surface, int edge, unsigned char* pixels) {
    cairo_surface_flush(surface);
    const unsigned char* data = cairo_image_surface_get_data(surface);
    int stride = cairo_image_surface_get_stride(surface);
    for (int y = 0; y < edge; ++y)
        for (int x = 0; x < edge; ++x) {
            std::uint32_t word = 0;
            std::memcpy(&word, data + y * stride + x * 4, 4);
            std::uint32_t cover = word >> 24;
            unsigned char* out = pixels + (static_cast<std::size_t>(y) * static_cast<std::size_t>(edge) +
                                           static_cast<std::size_t>(x)) *
                                              4;
            for (int channel = 0; channel < 3; ++channel) {
                std::uint32_t value = word >> (16 - 8 * channel) & 0xff;
                out[channel] = static_cast<unsigned char>(
                    cover == 0 ? 0 : std::min(255u, (value * 255 + cover / 2) / cover));
            }
            out[3] = static_cast<unsigned char>(cover);
        }
}

} // namespace

int drawing_svg_size(const char* svg, unsigned long size, double* width, double* height) {
    RsvgHandle* handle = rsvg_handle_new_from_data(reinterpret_cast<const guint8*>(svg), size, nullptr);
    if (handle == nullptr) return 0;
    if (rsvg_handle_get_intrinsic_size_in_pixels(handle, width, height) == 0) {
        gboolean has_width = 0, has_height = 0, has_box = 0;
        RsvgLength length_x{}, length_y{};
        RsvgRectangle box{0, 0, 1, 1};
        rsvg_handle_get_intrinsic_dimensions(handle, &has_width, &length_x, &has_height, &length_y, &has_box,
                                             &box);
        *width = has_box ? box.width : 1;
        *height = has_box ? box.height : 1;
    }
    g_object_unref(handle);
    return *width > 0 && *height > 0 ? 1 : 0;
}

int drawing_draw_svg(const char* svg, unsigned long size, int edge, unsigned char* pixels) {
    double width = 1, height = 1;
    if (drawing_svg_size(svg, size, &width, &height) == 0) return 0;
    RsvgHandle* handle = rsvg_handle_new_from_data(reinterpret_cast<const guint8*>(svg), size, nullptr);
    if (handle == nullptr) return 0;
    double scale = edge / std::max(width, height);
    RsvgRectangle all{(edge - width * scale) / 2, (edge - height * scale) / 2, width * scale, height * scale};
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, edge, edge);
    cairo_t* context = cairo_create(surface);
    bool drawn = rsvg_handle_render_document(handle, context, &all, nullptr) != 0;
    if (drawn) take_pixels(surface, edge, pixels);
    cairo_destroy(context);
    cairo_surface_destroy(surface);
    g_object_unref(handle);
    return drawn ? 1 : 0;
}

void drawing_resample(const unsigned char* from, int width, int height, int edge, unsigned char* pixels) {
    cairo_surface_t* source = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    unsigned char* data = cairo_image_surface_get_data(source);
    int stride = cairo_image_surface_get_stride(source);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const unsigned char* in = from + (static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                                              static_cast<std::size_t>(x)) *
                                                 4;
            std::uint32_t cover = in[3], word = cover << 24;
            for (int channel = 0; channel < 3; ++channel)
                word |= (in[channel] * cover + 127) / 255 << (16 - 8 * channel);
            std::memcpy(data + y * stride + x * 4, &word, 4);
        }
    cairo_surface_mark_dirty(source);
    cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, edge, edge);
    cairo_t* context = cairo_create(surface);
    double scale = static_cast<double>(edge) / std::max(width, height);
    cairo_translate(context, (edge - width * scale) / 2, (edge - height * scale) / 2);
    cairo_scale(context, scale, scale);
    cairo_set_source_surface(context, source, 0, 0);
    cairo_pattern_set_filter(cairo_get_source(context), CAIRO_FILTER_BEST);
    // At the edge there is the picture's own colour, not a mixture with nothing.
    cairo_pattern_set_extend(cairo_get_source(context), CAIRO_EXTEND_PAD);
    cairo_rectangle(context, 0, 0, width, height);
    cairo_fill(context);
    take_pixels(surface, edge, pixels);
    cairo_destroy(context);
    cairo_surface_destroy(surface);
    cairo_surface_destroy(source);
}

int drawing_decode_jpeg(const unsigned char* bytes, unsigned long size, int* width, int* height,
                        unsigned char* pixels) {
    tjhandle decoder = tjInitDecompress();
    if (decoder == nullptr) return 0;
    int sampling = 0, colours = 0;
    bool done = tjDecompressHeader3(decoder, bytes, size, width, height, &sampling, &colours) == 0;
    if (done && pixels != nullptr)
        done = tjDecompress2(decoder, bytes, size, pixels, *width, 0, *height, TJPF_RGBA,
                             TJFLAG_STOPONWARNING) == 0;
    tjDestroy(decoder);
    return done ? 1 : 0;
}

int drawing_decode(const unsigned char* bytes, unsigned long size, const char* format, int* width,
                   int* height, unsigned char* pixels) {
    GdkPixbufLoader* loader = gdk_pixbuf_loader_new_with_type(format, nullptr);
    if (loader == nullptr) return 0;
    bool is_read = gdk_pixbuf_loader_write(loader, bytes, size, nullptr) != 0;
    is_read = gdk_pixbuf_loader_close(loader, nullptr) != 0 && is_read;
    GdkPixbuf* picture = is_read ? gdk_pixbuf_loader_get_pixbuf(loader) : nullptr;
    GdkPixbuf* whole = picture == nullptr ? nullptr : gdk_pixbuf_add_alpha(picture, 0, 0, 0, 0);
    if (whole != nullptr) {
        *width = gdk_pixbuf_get_width(whole);
        *height = gdk_pixbuf_get_height(whole);
        auto row = static_cast<std::size_t>(*width) * 4;
        for (int y = 0; pixels != nullptr && y < *height; ++y)
            std::memcpy(pixels + static_cast<std::size_t>(y) * row,
                        gdk_pixbuf_read_pixels(whole) +
                            static_cast<std::ptrdiff_t>(y) * gdk_pixbuf_get_rowstride(whole),
                        row);
        g_object_unref(whole);
    }
    g_object_unref(loader);
    return whole != nullptr ? 1 : 0;
}
