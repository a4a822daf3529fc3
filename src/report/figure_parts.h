#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

namespace omnistasis::report {

// What all figures have in common: one look, one legend, one document around them.

struct LegendEntry {
    std::string fill;
    std::string line;
    std::string text;
    bool dashed = false;
};

/// A legend in one row; its SVG and where it ends.
std::pair<std::string, double> legend(const std::vector<LegendEntry>& entries, double x, double y);

/// An SVG document with a title above `content`.
std::string svg_document(double width, double height, const std::string& title, const std::string& content);

/// Characters of a text in UTF-8.
std::size_t letters_in(const std::string& text);

/// The text, or as much of it as has `most` characters, with an ellipsis.
std::string shortened(const std::string& text, std::size_t most);

} // namespace omnistasis::report
