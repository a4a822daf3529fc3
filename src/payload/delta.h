#pragma once

#include "payload/payload_contents.h"

#include <cstdint>
#include <string>

namespace omnistasis::payload {

/// What a delta file says of itself (docs/delta-format.md).
struct DeltaSummary {
    std::string form; ///< `file` or `folder`
    std::string base_name, base_version, base_id;
    std::string result_name, result_version, result_id; ///< ids: PayloadContents::identity
    std::uint64_t result_size = 0;                      ///< of the files that are written; in bytes
    std::uint64_t taken = 0;                            ///< how much of them the base has already
};

/// The executable of an output: the file itself, or the launcher in an output's folder. Fails where there is
/// none.
Result<fs::path> executable_of(const fs::path& output);

/// Writes the file `delta`, which turns `base` into `result`. Both are executables of outputs of one form;
/// both are checked as a whole.
Result<DeltaSummary> make_delta(const fs::path& base, const fs::path& result, const fs::path& delta);

/// How an application of a delta ended.
struct Applied {
    DeltaSummary summary;
    bool was_there = false; ///< the base is the result already; nothing was done
    fs::path output;        ///< a file, or the folder
};

/// Turns the output whose executable is `base` into the delta's result, in its place, or with `to` at
/// another, which must be free. The place holds the old output or the new one at every moment; what an
/// interrupted call had done is used by the next. Files that do not change are not written: they become links
/// to the same data. Fails without a change where the base is another than the delta's, or something is
/// damaged.
Result<Applied> apply_delta(const fs::path& base, const fs::path& delta, const fs::path& to);

} // namespace omnistasis::payload
