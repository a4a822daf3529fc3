// Programs that the application starts by their names.
#include "native/native_kind.h"
#include "project/assets.h"
#include "runtimes/python/python_tracing.h"
#include "support/subprocess.h"

#include <fmt/format.h>

namespace omnistasis::python {

namespace {

/// Bytes of a package up to which a program of it goes along by itself. What it looks for at compiled-in
/// paths comes with it.
constexpr std::uint64_t most_bytes = 10u << 20;

} // namespace

/// What own code starts goes along where the application's package requires a small package that has it; else
/// it is told, unless the project names it.
void PythonRuntime::settle_programs(const UnitIds& ids, UnitNeeds& needs) {
    for (std::size_t i = settled_; i < scanned_.size(); ++i) {
        const Scanned& scanned = scanned_[i];
        auto id = ids.find(scanned.name);
        if (!scanned.own || id == ids.end() || only_goes_along(scanned)) continue;
        for (const StringAt& program : scanned.result.programs) {
            if (!programs_seen_.insert(program.text).second) continue;
            std::string place = fmt::format("{}/{}", programs_place, program.text);
            auto required = required_programs_.find(program.text);
            bool fits = required != required_programs_.end() && required->second.package_size <= most_bytes &&
                        native::kind_of(required->second.file).fits(project_.targets.front());
            if (fits) {
                carries_programs_ = true;
                needs.emplace_back(id->second,
                                   Need{{UnitKind::native, place, required->second.file, place, false},
                                        {"starts", scanned.file, program.line, true}});
                continue;
            }
            // One that is not here either is one of several that will do, or another system's.
            bool is_named = std::ranges::any_of(project_.programs, [&](const std::string& one) {
                return fs::path(one).filename() == program.text;
            });
            std::string file = find_on_path(program.text);
            if (is_named || file.empty()) continue;
            bool is_native = native::kind_of(real_path(file)).fits(project_.targets.front());
            ends_.push_back(
                {"starts-program", fmt::format("it starts `{}`, a program that is not carried", program.text),
                 scanned.file, program.line,
                 "where the program is not installed, that part of the application does not work",
                 is_native ? fmt::format("carry it with --program {}, and see with `omnistasis prove` "
                                         "whether that is all it needs",
                                         program.text)
                           : "tell the application's users to install it"});
        }
    }
}

} // namespace omnistasis::python
