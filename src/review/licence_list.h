#pragma once

#include "support/error.h"

#include <filesystem>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::review {

/// What a family of licences asks of somebody who gives the software away, in plain words.
struct LicenceFamily {
    std::string name;
    std::string asks;
};

/// The licences that are known (data/review/licences.toml), and how each is recognised. Results are SPDX
/// licence expressions (SPDX 2.3, annex D): "MIT", "GPL-2.0-or-later OR MIT".
class LicenceList {
  public:
    static Result<LicenceList> read(const std::filesystem::path& data);

    /// The licence that a metadata field or a classifier names; empty where the words are not known, or may
    /// mean several.
    std::string by_name(std::string_view said) const;

    /// The licences whose text, or whose notice, a text holds, in the order in which they stand in it.
    std::vector<std::string> by_text(std::string_view text) const;

    /// What a Debian copyright file says of most files of a package ("Files: *" of the machine-readable
    /// format 1.0; else by its text). Short names that are not known become LicenseRef-NAME.
    std::string of_debian(std::string_view copyright) const;

    /// Whether a text is an expression of names that are known.
    bool is_expression(std::string_view text) const;

    /// Whether all licences of an expression are on the list.
    bool knows(std::string_view expression) const;

    /// The family of a licence; of an expression, the one that asks for most, where the application has no
    /// choice. "A OR B" asks for the lesser.
    const LicenceFamily& family_of(std::string_view expression) const;

    /// Families from the one that asks for nothing to the one of which nothing is known.
    const std::vector<LicenceFamily>& families() const { return families_; }

  private:
    struct Sign {
        std::string id;
        std::vector<std::string> text, without;
    };
    std::size_t rank_of(std::string_view expression) const;
    std::string of_debian_name(std::string_view name) const;

    std::vector<LicenceFamily> families_;
    std::map<std::string, std::size_t, std::less<>> family_of_; ///< by SPDX name
    std::map<std::string, std::string, std::less<>> by_name_;
    std::map<std::string, std::string, std::less<>> by_debian_;
    std::vector<Sign> signs_;
};

/// The licences of an expression, each once, in its order.
std::vector<std::string> licences_in(std::string_view expression);

} // namespace omnistasis::review
