#pragma once

#include "support/error.h"
#include "support/observer.h"
#include "watch/kinds.h"

#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace omnistasis::watch {

/// What runs of one kind took.
struct Measured {
    std::vector<double> milliseconds; ///< of each run
    std::uint64_t largest_memory = 0; ///< bytes; the most of all runs and their children
    int exit_code = 0;                ///< of the last run

    double median() const;
    /// The middle half.
    double low() const;
    double high() const;
};

/// A stretch of the start: part of the launcher, of the runtime, or an import.
struct TimeBar {
    std::string name;
    BarKind kind = BarKind::launcher;
    double from = 0, to = 0; ///< milliseconds since the program was started
    int depth = 0;
    double own = 0; ///< without what is nested in it
};

struct StartProfile {
    Measured warm, cold, source; ///< without a source there are no runs of it
    std::vector<TimeBar> warm_timeline, cold_timeline;
};

struct ProfileSubject {
    std::filesystem::path executable;
    std::vector<std::string> arguments;
    std::vector<std::string> source_command; ///< with its arguments; empty: not at hand
    std::filesystem::path source_folder;     ///< that the source is run in
    std::size_t runs = 9;
    double seconds = 60; ///< most for one run
};

/// Runs an output and its source in turn, with a cache and a data folder of their own, so that the user's
/// stay as they are; standard input is empty and what they print is thrown away. Then once more each, cold
/// and warm, with the times of what is loaded. Fails where something can't be started or does not end in
/// time.
Result<StartProfile> profile_start(const ProfileSubject& subject, Observer& observer);

} // namespace omnistasis::watch
