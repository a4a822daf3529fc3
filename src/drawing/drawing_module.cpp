// What needs large libraries for drawing, as a module of its own that is loaded when something is drawn: they
// bring dozens of others with them, for which every start of the program would wait.

#include "drawing/drawing_module.h"

#include <cairo.h>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <graphviz/cgraph.h>
#include <graphviz/gvc.h>
#include <librsvg/rsvg.h>

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
        drawn = rsvg_handle_render_document(handle, context, &all, nullptr) != 0 &&
                cairo_surface_write_to_png(surface, file) == CAIRO_STATUS_SUCCESS;
        cairo_destroy(context);
        cairo_surface_destroy(surface);
    }
    g_object_unref(handle);
    return drawn ? 1 : 0;
}
