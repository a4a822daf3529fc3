// Programs that the application starts by their names.
#include "runtimes/python/programs_of_modules.h"

#include "native/native_kind.h"
#include "project/assets.h"
#include "trace/started_program.h"

#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// Bytes of a package up to which a program of it goes along by itself. What it looks for at compiled-in
/// paths comes with it.
constexpr std::uint64_t most_bytes = 10u << 20;

} // namespace

void StartedPrograms::settle_programs(const UnitIds& ids, UnitNeeds& needs) {
    for (std::size_t i = gathered_.settled; i < gathered_.scanned.size(); ++i) {
        const Scanned& scanned = gathered_.scanned[i];
        auto id = ids.find(scanned.name);
        if (scanned.standard || id == ids.end() || companions_.only_goes_along(scanned)) continue;
        if (scanned.result.searches_path != 0)
            gathered_.ends.push_back(
                {.kind = "starts-program",
                 .what = "it looks for programs in the folders of PATH by itself",
                 .file = scanned.file,
                 .line = scanned.result.searches_path,
                 .effect = "where they are not installed, that part of the application does not work",
                 .advice = "carry a program with --program NAME, or tell the application's users to "
                           "install it",
                 .minor = !scanned.own});
        for (const StringAt& program : scanned.result.programs) {
            if (!programs_seen_.insert({program.text, scanned.own}).second) continue;
            if (scanned.own && carry_program(id->second, scanned, program, needs)) continue;
            if (auto end = trace::starts_program(ground_.project, program.text, scanned.file, program.line,
                                                 !scanned.own))
                gathered_.ends.push_back(std::move(*end));
        }
    }
}

bool StartedPrograms::carry_program(trace::UnitId id, const Scanned& scanned, const StringAt& program,
                                    UnitNeeds& needs) {
    auto required = ground_.required_programs.find(program.text);
    bool fits = required != ground_.required_programs.end() && required->second.package_size <= most_bytes &&
                native::kind_of(required->second.file).fits(ground_.project.targets.front());
    if (!fits) return false;
    gathered_.carries_programs = true;
    std::string place = fmt::format("{}/{}", programs_place, program.text);
    needs.emplace_back(id, Need{{UnitKind::native, place, required->second.file, place, false},
                                {"starts", scanned.file, program.line, true}});
    return true;
}

} // namespace omnistasis::python
