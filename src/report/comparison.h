#pragma once

#include "payload/payload_contents.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis::report {

/// A part, a setting or a file that two outputs do not have in common, or have differently.
struct Difference {
    std::string kind; ///< `runtime`, `package`, `module`, ... as in the list of parts; `file`; `setting`
    std::string name;
    std::string before, after; ///< what there is to say of it: a version, a setting; may be empty
    std::uint64_t size_before = 0, size_after = 0; ///< in bytes; 0 where it is not there
    enum class What { added, removed, changed } what = What::changed;
};

/// What changed from one output to another.
struct Comparison {
    bool same = false; ///< to the byte
    std::string name_before, name_after, version_before, version_after;
    std::uint64_t size_before = 0, size_after = 0; ///< of the whole output; in bytes
    std::uint64_t tree_before = 0, tree_after = 0; ///< of the different contents
    std::vector<Difference>
        differences;             ///< settings, runtime, packages, then parts and files by kind and name
    std::uint64_t new_bytes = 0; ///< stored bytes of the new output that the old one does not have
};

/// Files of the tree are told only where no part stands for them.
Result<Comparison> compare(const payload::PayloadContents& before, const payload::PayloadContents& after);

/// As a documented JSON object.
std::string comparison_json(const Comparison& comparison);

} // namespace omnistasis::report
