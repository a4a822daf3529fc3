#pragma once

#include "drawing/drawing.h"
#include "support/error.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::dress {

/// What kind of picture an icon file holds.
enum class IconKind { svg, png, jpeg, ico, icns };

struct IconFacts {
    IconKind kind = IconKind::png;
    int width = 0; ///< in pixels; of the largest picture in the file; 0 where it has no fixed size
    int height = 0;
};

/// What a picture's first bytes say that it is; it may be damaged further on.
Result<IconKind> icon_kind(const std::filesystem::path& file);

/// The file ending of a kind, with its dot.
std::string icon_ending(IconKind kind);

/// What somebody should know of a picture who wants icons up to `edge` pixels: too small, not square; and
/// what was done about it.
std::vector<std::string> icon_remarks(const IconFacts& facts, int edge);

/// A picture that icons of all sizes are made from.
class IconSource {
  public:
    /// Reads a file of any kind. `modules` is where Omnistasis has its launchers.
    static Result<IconSource> open(const std::filesystem::path& file, const std::filesystem::path& modules);

    /// The icon as a square of `edge` pixels: the file's own picture of that size if it has one, else the
    /// next larger one made smaller, or a drawing drawn as large.
    Picture at(int edge) const;

    const IconFacts& facts() const { return facts_; }

  private:
    IconSource(Drawing drawing) : drawing_(drawing) {}
    Drawing drawing_;
    IconFacts facts_;
    std::string svg_;
    std::vector<Picture> pictures_; ///< smallest first
};

} // namespace omnistasis::dress
