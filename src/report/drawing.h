#pragma once

#include "support/error.h"

#include <filesystem>
#include <string>

namespace omnistasis::report {

/// What draws figures: a module beside the launchers, loaded when the first figure is drawn.
class Drawing {
  public:
    /// `folder` is where Omnistasis has its launchers.
    static Result<Drawing> open(const std::filesystem::path& folder);

    /// A graph in Graphviz's language, laid out; in its "plain" format.
    Result<std::string> layout(const std::string& graph) const;

    /// Writes a figure under a name that ends in .svg or .png (twice as many pixels as the figure has units).
    Result<void> write(const std::string& svg, const std::filesystem::path& file) const;

  private:
    using Layout = char* (*)(const char*);
    using WritePng = int (*)(const char*, unsigned long, double, const char*);
    Layout layout_ = nullptr;
    WritePng write_png_ = nullptr;
};

/// Text as it stands in XML.
std::string xml_text(const std::string& text);

} // namespace omnistasis::report
