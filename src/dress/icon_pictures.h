#pragma once

#include "dress/icon.h"
#include "support/store.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::dress {

/// The pictures that are made from an icon file. A process of its own makes them, with bounds on its time and
/// memory: a drawing can ask for any amount of both, and a few bytes can be a picture of gigabytes.
class IconPictures {
  public:
    /// `edges` are the sizes that are wanted, as squares. `modules` is where Omnistasis has its launchers.
    /// What was made is kept in `store`, where there is one.
    static Result<IconPictures> open(const std::filesystem::path& file, const std::filesystem::path& modules,
                                     const std::vector<int>& edges, Store* store = nullptr);

    /// One of the sizes that were wanted.
    const Picture& at(int edge) const;

    const IconFacts& facts() const { return facts_; }

  private:
    static Result<IconPictures> from_answer(const std::string& bytes, const std::filesystem::path& file,
                                            const std::vector<int>& edges);
    IconFacts facts_;
    std::vector<Picture> pictures_;
};

/// The work of that process, which it bounds: the result in a form that IconPictures reads.
std::string made_icon_pictures(const std::filesystem::path& file, const std::filesystem::path& modules,
                               const std::vector<int>& edges);

/// The word that this program is started with, to do it: what follows are the arguments above.
constexpr const char* icon_pictures_word = "make-icon-pictures";

} // namespace omnistasis::dress
