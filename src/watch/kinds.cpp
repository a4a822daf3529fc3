#include "watch/kinds.h"

#include <array>
#include <cstddef>

namespace omnistasis::watch {

namespace {

// Each in the order of its enumeration.
constexpr std::array<std::string_view, 5> seen_words{"file", "library", "module", "program", "written"};
constexpr std::array<std::string_view, 14> finding_words{
    "blank-window",    "error-output",   "exit-code",       "left-behind", "missing-file",
    "missing-library", "missing-module", "missing-program", "no-window",   "output",
    "outside-read",    "time-over",      "written-file",    "wrong-file"};
constexpr std::array<std::string_view, 5> bar_words{"launcher", "unpack", "runtime", "import", "run"};

} // namespace

std::string_view word_of(SeenKind kind) { return seen_words[static_cast<std::size_t>(kind)]; }
std::string_view word_of(FindingKind kind) { return finding_words[static_cast<std::size_t>(kind)]; }
std::string_view word_of(BarKind kind) { return bar_words[static_cast<std::size_t>(kind)]; }

} // namespace omnistasis::watch
