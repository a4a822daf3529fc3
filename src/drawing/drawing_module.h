#pragma once

extern "C" {

/// Lays out a graph in Graphviz's language with its hierarchical layout. The result is in the "plain" format
/// (inches, from the lower left), to be released with free(); null where the text is no graph.
char* drawing_layout(const char* graph);

/// Draws an SVG document into a PNG file, `scale` times as large. 1 where that succeeds.
int drawing_write_png(const char* svg, unsigned long size, double scale, const char* file);
}
