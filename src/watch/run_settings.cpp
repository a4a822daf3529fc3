#include "watch/run_settings.h"

#include "support/files.h"
#include "support/target_info.h"

namespace omnistasis::watch {

const std::string& clock_library() {
    static const std::string file = "/usr/lib/" + host_info().library_folder + "/faketime/libfaketime.so.1";
    return file;
}

Result<void> set_clock(const ProofRun& run, std::map<std::string, std::string>& variables) {
    if (run.clock.empty()) return {};
    if (!is_file(clock_library()))
        return fail(ErrorKind::missing, "the clock can't be set for a program", clock_library(),
                    "the library is not there", "install the package libfaketime");
    variables["LD_PRELOAD"] = clock_library();
    variables["FAKETIME"] = "@" + run.clock;
    return {};
}

Result<IsolationOptions> isolation_of(const ProofRun& run, const RunPlaces& places) {
    IsolationOptions options;
    options.home = places.home;
    options.work = places.work;
    options.temporary = places.temporary;
    options.network = run.network;
    options.input = run.input;
    options.variables = run.variables;
    options.limits = limits_of(run);
    if (auto clock = set_clock(run, options.variables); !clock) return pass_on(clock);
    if (!run.clock.empty()) options.shown.emplace_back(clock_library(), clock_library());
    return options;
}

RunLimits limits_of(const ProofRun& run) {
    constexpr std::uint64_t most_output = 64u << 20, most_file = 1u << 30;
    return {run.seconds, most_output, most_file, {}};
}

} // namespace omnistasis::watch
