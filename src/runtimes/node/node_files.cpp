// What goes into the app tree besides the application's own files, and how it is started.
#include "project/assets.h"
#include "runtimes/node/node_runtime.h"
#include "runtimes/node/scan_cache.h"
#include "support/file_hash.h"
#include "support/json.h"

#include <fmt/format.h>

namespace omnistasis::node {

namespace {

constexpr const char* start_place = "start/start.cjs";
} // namespace

std::string NodeRuntime::program_place() const {
    std::string place = "bin/" + project_.name + ending();
    return place == interpreter_place() ? "bin/" + project_.name + "-program" + ending() : place;
}

std::vector<std::string> NodeRuntime::own_options() const {
    std::vector<std::string> options{"--require", std::string("{tree}/") + start_place};
    options.insert(options.end(), entry_options_.begin(), entry_options_.end());
    return options;
}

trace::Start NodeRuntime::start() const {
    trace::Start start{program_place(), own_options()};
    start.arguments.push_back("{tree}/" + placement_.own_place(entry_));
    start.arguments.push_back("{arguments}");
    // They make the runtime load other code than the application's.
    start.kept_variables = {"NODE_OPTIONS",           "NODE_PATH",
                            "NODE_PRESERVE_SYMLINKS", "NODE_PRESERVE_SYMLINKS_MAIN",
                            "NODE_REDIRECT_WARNINGS", "NODE_V8_COVERAGE"};
    return start;
}

std::vector<trace::InnerLauncher> NodeRuntime::inner_launchers() const {
    trace::Start inner{program_place(), {"--require", std::string("{tree}/") + start_place, "{arguments}"}};
    inner.kept_variables = start().kept_variables;
    return {{interpreter_place(), inner}};
}

Result<std::vector<trace::MadeFile>> NodeRuntime::make_files(const std::vector<Unit>& units, unsigned,
                                                             Observer&) {
    auto boot = read_text(helpers_ / "start.cjs");
    if (!boot) return pass_on(boot);
    Json settings;
    settings["interpreter"] = interpreter_place();
    settings["name"] = project_.name;
    settings["programs"] = project_.programs.empty() ? "" : programs_place;
    settings["entry"] = placement_.own_place(entry_);
    // Compiled code that is kept on a user's machine is for these sources and no others.
    std::string sources;
    for (const Unit& unit : units)
        if (auto hash = unit.kind == UnitKind::script ? file_hash(unit.file, *store_) : std::nullopt)
            sources += unit.place + ' ' + hex(*hash) + '\n';
    // The engine forgets where an import(...) in kept code is to be looked up from.
    settings["uncompiled"] = Json::array();
    for (const Unit& unit : units)
        if (unit.kind == UnitKind::script)
            if (auto scanned = scan_file(unit.file, *store_); scanned && scanned->imports_late)
                settings["uncompiled"].push_back(unit.place);
    settings["id"] = hex(sha256(sources)).substr(0, 16);
    std::vector<trace::MadeFile> files;
    files.push_back({start_place, std::move(*boot), 0644});
    files.push_back({"start/start.json", json_line(settings) + "\n", 0644});
    return files;
}

} // namespace omnistasis::node
