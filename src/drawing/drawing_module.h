#pragma once

extern "C" {

/// Lays out a graph in Graphviz's language with its hierarchical layout. The result is in the "plain" format
/// (inches, from the lower left), to be released with free(); null where the text is no graph.
char* drawing_layout(const char* graph);

/// Draws an SVG document on white into a PNG file, `scale` times as large. 1 where that succeeds.
int drawing_write_png(const char* svg, unsigned long size, double scale, const char* file);

// Pictures are four bytes a pixel: red, green, blue, cover (not multiplied with it); rows from the top.

/// Draws an SVG document as large as it fits into a square of `edge` pixels, in the middle. 1 where that
/// succeeds.
int drawing_draw_svg(const char* svg, unsigned long size, int edge, unsigned char* pixels);

/// Its size in its own units. 1 where it is an SVG document.
int drawing_svg_size(const char* svg, unsigned long size, double* width, double* height);

/// A picture in another size, in the middle of a square of `edge` pixels.
void drawing_resample(const unsigned char* from, int width, int height, int edge, unsigned char* pixels);

/// Decodes a JPEG; without room for pixels it gives the size alone. 1 where that succeeds.
int drawing_decode_jpeg(const unsigned char* bytes, unsigned long size, int* width, int* height,
                        unsigned char* pixels);

/// The same for the first picture of a file of the format that GdkPixbuf calls so.
int drawing_decode(const unsigned char* bytes, unsigned long size, const char* format, int* width,
                   int* height, unsigned char* pixels);
}
