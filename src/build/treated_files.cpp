#include "build/treated_files.h"

#include "native/elf_reader.h"
#include "native/elf_rewriter.h"
#include "native/elf_stripper.h"
#include "native/mach_o_loader.h"
#include "native/mach_o_reader.h"
#include "project/project_file.h"
#include "support/archive.h"
#include "support/file_hash.h"
#include "support/files.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/target_info.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnistasis::build {

using payload::TreeFile;

namespace {

/// Larger native files keep their debug symbols: they would have to be in memory.
constexpr std::uint64_t most_stripped = 256u << 20;

/// What became of a native file, as the store keeps it.
struct Treated {
    bool is_changed = false;
    std::string hash; ///< of the result, 32 bytes
    std::uint64_t size = 0;
    std::uint64_t saved = 0; ///< bytes that went with debug symbols

    template <typename Archive, typename T> static void visit(Archive& archive, T& treated) {
        archive.value(treated.is_changed);
        archive.value(treated.hash);
        archive.value(treated.size);
        archive.value(treated.saved);
    }
};

std::uint64_t take(const Treated& treated, std::function<Result<std::string>()> make, TreeFile& out) {
    if (!treated.is_changed) return 0;
    out.made.emplace();
    std::copy_n(treated.hash.begin(), out.made->hash.size(), reinterpret_cast<char*>(out.made->hash.data()));
    out.made->size = treated.size;
    out.made->make = std::move(make);
    return treated.saved;
}

Result<std::string> placed(const std::string& source, const native::MachPlace& where) {
    auto content = MappedFile::open(source);
    if (!content) return pass_on(content);
    if (!native::looks_like_mach_o(content->bytes())) return std::string();
    return native::placed_mach_o(content->bytes(), where, source);
}

/// A native file as it goes into the tree; empty where it goes as it is. A program first loads the
/// library for fixed places, where there is a folder with one.
Result<std::string> changed(const std::string& source, bool strips, bool relinks, std::string search_path,
                            const std::string& folder_of_places) {
    auto mapped = MappedFile::open(source);
    if (!mapped) return pass_on(mapped);
    ByteSpan content = mapped->bytes();
    // What other systems load finds its libraries beside itself.
    if (!native::looks_like_elf(content)) return std::string();
    Bytes changed;
    if (strips) {
        auto without = native::without_debug_symbols(content, source);
        if (!without) return pass_on(without);
        changed = std::move(*without);
        content = changed;
    }
    bool is_smaller = content.size() < mapped->bytes().size();
    auto elf = native::read_elf(content, source);
    if (!elf) return pass_on(elf);
    bool has_path = elf->rpath.has_value() || elf->runpath.has_value();
    bool leads_places = !folder_of_places.empty() && !elf->interpreter.empty();
    if (leads_places) search_path += (search_path.empty() ? "" : ":") + folder_of_places;
    if (relinks && (!search_path.empty() || has_path)) {
        auto relinked = native::with_search_path(content, search_path.empty() ? "$ORIGIN" : search_path,
                                                 source, leads_places ? fixed_places_library : "");
        if (!relinked) return pass_on(relinked);
        changed = std::move(*relinked);
    } else if (!is_smaller) {
        return std::string();
    }
    return std::string(as_text(changed));
}

/// Whether a data file is one that macOS may be asked to run or load on a processor: it takes none without a
/// signature.
bool is_loadable(const std::string& file, std::uint32_t processor) {
    auto content = MappedFile::open(file);
    if (!content || !native::looks_like_mach_o(content->bytes())) return false;
    auto read = native::read_mach_o(content->bytes(), file);
    return read && std::ranges::any_of(read->images, [&](const native::MachImage& image) {
               return image.processor == processor && image.is_loadable();
           });
}

} // namespace

std::optional<Sha256> icon_hash(const Project& project, Store& store) {
    if (project.icon.empty()) return std::nullopt;
    return file_hash((project.folder / project.icon).string(), store);
}

std::string way_to_tree(const std::string& place) {
    std::string way;
    for (char c : place)
        if (c == '/') way += way.empty() ? ".." : "/..";
    return way.empty() ? "." : way;
}

Result<std::uint64_t> TreatedFiles::treat(const plan::PlannedFile& file, TreeFile& out) const {
    out.source = file.source;
    if (file.treatment == plan::Treatment::reduce) return reduce(file, out);
    const trace::Unit& unit = graph_.units[file.unit];
    if (unit.kind == trace::UnitKind::program && platform_.dresses_programs())
        return dress_program(file, out);
    const TargetInfo* target = find_target(project_.targets.front());
    bool may_be_signed = target->system == System::macos && unit.kind == trace::UnitKind::data;
    if (!trace::is_native(unit.kind) && !(may_be_signed && is_loadable(file.source, target->machine))) return 0;
    bool relinks = file.treatment == plan::Treatment::relink;
    std::error_code unreadable;
    std::uint64_t before = fs::file_size(file.source, unreadable);
    bool strips = !project_.keep_debug_symbols && !unreadable && before <= most_stripped;
    if (!relinks && !strips) return 0;
    std::string path = file.search_path;
    std::string source = file.source;
    std::string folder = !graph_.fixed_places.empty() ? "$ORIGIN/" + way_to_tree(file.place) + "/lib" : "";
    std::string named;
    native::MachPlace mach;
    if (target->system == System::macos) {
        mach = {target->machine, file.place, program_folder(), file.libraries};
        named = file.place + "\n";
        for (const auto& [name, place] : file.libraries) named += fmt::format("{} {}\n", name, place);
    }
    auto make = [=]() -> Result<std::string> {
        if (target->system == System::macos) return placed(source, mach);
        return changed(source, strips, relinks, path, folder);
    };
    auto hash = file_hash(file.source, store_);
    std::string key =
        hash ? Store::key_of(fmt::format("native {} {} {} {} {} {} {} {}", own_program_stamp(), hex(*hash),
                                         strips, relinks, path, folder, target->name, named))
             : "";
    return remembered(key, make, strips ? before : 0, out);
}

/// The runtime's program, shown as the application's.
Result<std::uint64_t> TreatedFiles::dress_program(const plan::PlannedFile& file, TreeFile& out) const {
    auto hash = file_hash(file.source, store_);
    auto of_icon = icon_hash(project_, store_);
    std::string key =
        hash && (of_icon || project_.icon.empty())
            ? Store::key_of(fmt::format("dressed {} {} {} {}", own_program_stamp(), hex(*hash),
                                        of_icon ? hex(*of_icon) : "", project_file_text(project_)))
            : "";
    auto make = [this, source = file.source]() -> Result<std::string> {
        auto program = read_text(source);
        return program ? platform_.dressed_program(std::move(*program), project_, icon_) : program;
    };
    return remembered(key, make, 0, out);
}

/// An archive with the members that are needed, and no others.
Result<std::uint64_t> TreatedFiles::reduce(const plan::PlannedFile& file, TreeFile& out) const {
    auto hash = file_hash(file.source, store_);
    std::string key = hash ? Store::key_of(fmt::format("members {} {} {}", own_program_stamp(), hex(*hash),
                                                       fmt::join(file.members, "\n")))
                           : "";
    auto make = [source = file.source, members = file.members] { return zip_with_members(source, members); };
    return remembered(key, make, 0, out);
}

/// What `make` gives, empty for "as it is", with its hash from the store where that is known by `key`.
/// `before` is the size of which bytes were saved; 0 where none are.
Result<std::uint64_t> TreatedFiles::remembered(const std::string& key,
                                               const std::function<Result<std::string>()>& make,
                                               std::uint64_t before, TreeFile& out) const {
    Treated treated;
    if (auto known = key.empty() ? std::nullopt : store_.find(key)) {
        FormReader reader(*known);
        Treated::visit(reader, treated);
        if (reader.complete() && (!treated.is_changed || treated.hash.size() == sizeof(Sha256)))
            return take(treated, make, out);
        treated = {};
    }
    auto content = make();
    if (!content) return pass_on(content);
    treated.is_changed = !content->empty();
    if (treated.is_changed) {
        Sha256 of_content = sha256(*content);
        treated.hash = as_text(of_content);
        treated.size = content->size();
        treated.saved = before > content->size() ? before - content->size() : 0;
    }
    if (!key.empty()) {
        FormWriter writer;
        Treated::visit(writer, treated);
        store_.keep(key, std::move(writer.bytes));
    }
    // It is at hand now.
    auto shared = std::make_shared<std::string>(std::move(*content));
    return take(
        treated, [shared]() -> Result<std::string> { return *shared; }, out);
}

/// The place of the folder that the runtime's program runs from.
std::string TreatedFiles::program_folder() const {
    auto program = std::ranges::find(graph_.units, trace::UnitKind::program, &trace::Unit::kind);
    return program == graph_.units.end() ? "" : fs::path(program->place).parent_path().string();
}

} // namespace omnistasis::build
