#pragma once

#include <string_view>

namespace omnistasis::watch {

/// What a rehearsal saw and the trace did not have; in the order of its table.
enum class SeenKind { file, library, module, program, written };
std::string_view word_of(SeenKind kind);

/// What a proof has to say (docs/proof.md); in the order of its table.
enum class FindingKind {
    blank_window,
    error_output,
    exit_code,
    left_behind,
    missing_file,
    missing_library,
    missing_module,
    missing_program,
    no_window,
    output,
    outside_read,
    time_over,
    written_file,
    wrong_file,
};
std::string_view word_of(FindingKind kind);

/// What a stretch of a start is spent on.
enum class BarKind { launcher, unpack, runtime, import, run };
std::string_view word_of(BarKind kind);

} // namespace omnistasis::watch
