#include "report/inspection.h"

#include "native/native_kind.h"
#include "payload_format.h"
#include "support/files.h"
#include "support/hash.h"
#include "support/json.h"
#include "support/letter_case.h"
#include "support/target_info.h"

#include <array>
#include <cstring>
#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <map>
#include <oneapi/tbb/task_group.h>
#include <set>
#include <unistd.h>

namespace omnistasis::report {

namespace {

/// The native files of an output, which may hold some for other systems beside those for its own.
class NativeFiles {
  public:
    void note(const std::string& place, ByteSpan bytes) {
        native::NativeKind kind = native::kind_of_bytes(bytes);
        if (!kind) return;
        std::string target = kind.targets.empty() ? std::string() : kind.targets.front();
        OfTarget& of_target = all_[target];
        std::vector<std::string> needed;
        if (native::looks_like_elf(bytes)) {
            auto elf = native::read_elf(bytes, place);
            if (!elf) return;
            of_target.oldest.add(place, *elf, bytes);
            needed = elf->needed;
        } else if (native::looks_like_mach_o(bytes)) {
            auto mach = native::read_mach_o(bytes, place);
            if (!mach) return;
            of_target.oldest.add(place, *mach);
            for (const native::MachImage& image : mach->images)
                for (const native::MachLibrary& library : image.libraries)
                    if (!library.weak && library.name != image.install_name) needed.push_back(library.name);
        } else {
            auto pe = native::read_pe(bytes, place);
            if (!pe) return;
            of_target.oldest.add(place, *pe);
            for (const native::PeImport& import : pe->imports)
                if (!import.delayed) needed.push_back(lower_case(import.library));
        }
        of_target.files.push_back({place, std::move(needed)});
    }

    /// Tells of those that are for the same target as the program at a place.
    void tell(const std::string& program, Inspection& inspection) {
        for (auto& [target, of_target] : all_) {
            bool has_program = std::ranges::find(of_target.files, program, &Inspection::NativeFile::place) !=
                               of_target.files.end();
            if (!has_program && all_.size() > 1) continue;
            inspection.target = target;
            inspection.oldest = std::move(of_target.oldest);
            if (system_of(target) == System::windows) {
                // Files say less than is true of them; the launcher's manifest has this.
                native::PeFile launcher;
                launcher.oldest_major = 10;
                inspection.oldest.add("the launcher", launcher);
            }
            inspection.native_files = std::move(of_target.files);
            return;
        }
    }

  private:
    struct OfTarget {
        native::OldestSystem oldest;
        std::vector<Inspection::NativeFile> files;
    };
    std::map<std::string, OfTarget> all_; ///< by target
};

/// What the oldest system follows from, of an output in one file.
void look_into_payload(Inspection& inspection) {
    std::map<std::uint32_t, std::string> names;
    for (const payload::StoredFile& file : inspection.payload->files())
        names.try_emplace(file.content, file.place);
    NativeFiles files;
    auto done =
        inspection.payload->each_content([&](std::uint32_t number, const std::string& bytes) -> Result<void> {
            files.note(names[number], as_bytes(bytes));
            return {};
        });
    if (!done) inspection.error = done.error().why;
    files.tell(inspection.payload->description().start.c_str(), inspection);
}

/// The same for an output whose tree lies beside the launcher.
void look_into_folder(Inspection& inspection, const fs::path& tree) {
    NativeFiles files;
    each_entry_below(tree, [&](const fs::directory_entry& entry) {
        std::error_code failed;
        if (!entry.is_regular_file(failed)) return;
        if (auto mapped = MappedFile::open(entry.path()))
            files.note(entry.path().lexically_relative(tree), mapped->bytes());
    });
    files.tell(inspection.payload->description().start.c_str(), inspection);
}

Json elf_json(const Inspection& inspection, HostNames& host) {
    const native::ElfFile& elf = *inspection.elf;
    Json json{{"kind", elf.type == ET_EXEC                              ? "fixed program"
                       : elf.type == ET_DYN && !elf.interpreter.empty() ? "program"
                       : elf.type == ET_DYN                             ? "library"
                                                                        : "object"},
              {"bits", elf.is_64_bit ? 64 : 32},
              {"byte_order", elf.little_endian ? "little" : "big"},
              {"architecture", processor_name(System::linux, elf.machine)},
              {"interpreter", elf.interpreter},
              {"soname", elf.soname},
              {"needed", elf.needed}};
    if (elf.rpath) json["rpath"] = *elf.rpath;
    if (elf.runpath) json["runpath"] = *elf.runpath;
    if (!inspection.process) return json;
    Json& loads = json["loads"] = Json::array();
    const auto& objects = inspection.process->objects;
    for (std::size_t i = 1; i < objects.size(); ++i)
        loads.push_back({{"name", objects[i].name},
                         {"file", objects[i].path},
                         {"found_by", native::word_of(objects[i].found_by)},
                         {"asked_by", objects[objects[i].asked_by].path},
                         {"host", host.contains(objects[i].name)}});
    Json& missing = json["not_found"] = Json::array();
    for (const native::NotFound& one : inspection.process->not_found)
        missing.push_back({{"name", one.name}, {"asked_by", objects[one.asked_by].path}});
    Json& mismatches = json["version_mismatches"] = Json::array();
    for (const native::VersionMismatch& one : inspection.process->mismatches)
        mismatches.push_back(
            {{"version", one.version}, {"library", one.library}, {"asked_by", objects[one.asked_by].path}});
    if (!inspection.process->error.empty()) json["loader_error"] = inspection.process->error;
    return json;
}

Json pe_json(const native::PeFile& pe) {
    Json json{{"kind", pe.is_library ? "library" : "program"},
              {"bits", pe.is_64_bit ? 64 : 32},
              {"architecture", processor_name(System::windows, pe.machine)},
              {"mode", pe.subsystem == 2   ? "window"
                       : pe.subsystem == 3 ? "console"
                                           : "other"},
              {"signed", pe.is_signed},
              {"sections", pe.sections}};
    for (const native::PeImport& import : pe.imports) {
        Json names = Json::array();
        for (const native::PeFunction& function : import.functions) names.push_back(function.text());
        json["imports"].push_back(
            {{"library", import.library}, {"delayed", import.delayed}, {"names", std::move(names)}});
    }
    if (!pe.exports.empty()) json["exports"] = pe.exports;
    for (const native::PeIcon& icon : pe.icons)
        json["icons"].push_back({{"width", icon.width}, {"height", icon.height}, {"bits", icon.bits}});
    if (!pe.version.empty()) json["version"] = pe.version;
    if (!pe.manifest.empty()) json["manifest"] = pe.manifest;
    for (const native::PeResource& resource : pe.resources)
        json["resources"].push_back({{"type", resource.type},
                                     {"name", resource.name},
                                     {"language", resource.language},
                                     {"bytes", resource.size}});
    return json;
}

Json mach_json(const native::MachFile& file) {
    Json json{{"universal", file.universal}, {"images", Json::array()}};
    for (const native::MachImage& image : file.images) {
        Json one{{"architecture", processor_name(System::macos, image.processor)},
                 {"kind", kind_of(image)},
                 {"bits", image.is_64_bit ? 64 : 32},
                 {"install_name", image.install_name},
                 {"platform", image.platform},
                 {"oldest_system", image.oldest_system},
                 {"built_for", image.built_for},
                 {"search_paths", image.search_paths},
                 {"signed", image.is_signed},
                 {"uuid", image.uuid},
                 {"libraries", Json::array()}};
        for (const native::MachLibrary& library : image.libraries)
            one["libraries"].push_back({{"name", library.name},
                                        {"version", library.current_version},
                                        {"compatible", library.compatible_version},
                                        {"weak", library.weak},
                                        {"reexported", library.reexported}});
        json["images"].push_back(std::move(one));
    }
    return json;
}

Json payload_json(const payload::PayloadContents& contents) {
    const payload::Description& description = contents.description();
    Json json{{"name", description.name},
              {"version", description.version},
              {"mode", description.window ? "window" : "console"},
              {"form", description.tree_folder.empty() ? "file" : "folder"},
              {"tree", contents.tree_id()},
              {"launcher_bytes", contents.launcher_size()},
              {"payload_bytes", contents.payload_size()},
              {"raw_bytes", contents.raw_size()},
              {"state", Json::array()},
              {"files", Json::array()}};
    if (!contents.public_key().empty()) json["public_key"] = hex(as_bytes(contents.public_key()));
    for (const payload::StatePath& state : description.state)
        json["state"].push_back({{"place", state.place},
                                 {"path", description.name + "/" + state.path},
                                 {"kind", state.is_folder ? "folder" : "file"}});
    if (auto parts = contents.parts()) {
        json["parts"] = Json::array();
        for (const payload::Part& part : *parts)
            json["parts"].push_back({{"kind", part.kind},
                                     {"name", part.name},
                                     {"version", part.version},
                                     {"bytes", part.size},
                                     {"sha256_begins", part.hash}});
    }
    for (const payload::StoredFile& file : contents.files())
        json["files"].push_back({{"place", file.place},
                                 {"bytes", file.size},
                                 {"mode", fmt::format("{:o}", file.mode)},
                                 {"sha256", file.hash}});
    return json;
}

bool is_program_or_library(const native::ElfFile& elf) { return elf.type == ET_EXEC || elf.type == ET_DYN; }

bool is_loadable(const native::ElfFile& elf) { return is_program_or_library(elf) && !elf.dynamic.empty(); }

/// Our launchers are static.
bool may_be_launcher(const native::ElfFile& elf) {
    return is_program_or_library(elf) && elf.interpreter.empty() && elf.dynamic.empty();
}

} // namespace

Inspection inspect_file(const std::string& file, const native::LoaderModel& loader, bool brief) {
    Inspection inspection;
    inspection.file = file;
    const MappedFile* content = nullptr;
    if (brief) {
        auto known = loader.binary_at(file);
        if (!known) return inspection;
        content = known->content;
        // What can't be an output has been read by the loader's model.
        if (known->elf != nullptr && !may_be_launcher(*known->elf)) {
            inspection.size = known->size;
            inspection.format = "ELF";
            inspection.elf = {std::shared_ptr<const native::ElfFile>(), known->elf};
            inspection.oldest.add(file, *known->elf, {});
            if (is_loadable(*known->elf)) inspection.process = loader.load(file);
            return inspection;
        }
    }
    std::shared_ptr<const MappedFile> opened;
    if (content == nullptr) {
        auto mapped = MappedFile::open(file);
        if (!mapped) {
            inspection.error = mapped.error().why;
            return inspection;
        }
        opened = std::make_shared<const MappedFile>(std::move(*mapped));
        content = opened.get();
    }
    ByteSpan bytes = content->bytes();
    inspection.size = bytes.size();
    if (payload::PayloadContents::has_payload(bytes)) {
        inspection.format = "Omnistasis output";
        auto contents = payload::PayloadContents::open(file);
        if (!contents) {
            inspection.error = contents.error().why;
            return inspection;
        }
        inspection.payload = std::move(*contents);
        const std::string& tree = inspection.payload->description().tree_folder;
        if (tree.empty())
            look_into_payload(inspection);
        else
            look_into_folder(inspection, (fs::path(file).parent_path() / tree).lexically_normal());
    } else if (native::looks_like_elf(bytes)) {
        inspection.format = "ELF";
        auto elf = native::read_elf(bytes, file);
        if (!elf) {
            inspection.error = fmt::format("{}, {}", elf.error().what, elf.error().why);
            return inspection;
        }
        // Our launcher knows the mark that a payload ends with.
        if (may_be_launcher(*elf) && ::memmem(bytes.data(), bytes.size(), payload::trailer_magic,
                                              sizeof payload::trailer_magic) != nullptr) {
            inspection.error = "it is an output's launcher without its payload: the file was cut off";
            return inspection;
        }
        inspection.oldest.add(file, *elf, bytes);
        inspection.elf = std::make_shared<const native::ElfFile>(std::move(*elf));
        if (is_loadable(*inspection.elf)) inspection.process = loader.load(file);
    } else if (native::looks_like_pe(bytes)) {
        inspection.format = "PE";
        auto pe = native::read_pe(bytes, file);
        if (pe) {
            inspection.oldest.add(file, *pe);
            inspection.pe = std::move(*pe);
            inspection.content = std::move(opened);
        } else {
            inspection.error = fmt::format("{}, {}", pe.error().what, pe.error().why);
        }
    } else if (native::looks_like_mach_o(bytes)) {
        inspection.format = "Mach-O";
        auto mach_o = native::read_mach_o(bytes, file);
        if (mach_o) {
            inspection.oldest.add(file, *mach_o);
            inspection.mach_o = std::move(*mach_o);
        } else
            inspection.error = fmt::format("{}, {}", mach_o.error().what, mach_o.error().why);
    }
    return inspection;
}

std::string kind_of(const native::MachImage& image) {
    switch (image.kind) {
    case 1:
        return "object";
    case 2:
        return "program";
    case 6:
        return "library";
    case 8:
        return "bundle";
    default:
        return fmt::format("kind {}", image.kind);
    }
}

std::string architecture_of(const Inspection& inspection) {
    auto bits = [](const std::string& machine, bool wide) {
        return fmt::format("{}, {} bit", machine, wide ? 64 : 32);
    };
    if (inspection.elf)
        return bits(processor_name(System::linux, inspection.elf->machine), inspection.elf->is_64_bit) +
               (inspection.elf->little_endian ? "" : ", big-endian");
    if (inspection.pe)
        return bits(processor_name(System::windows, inspection.pe->machine), inspection.pe->is_64_bit);
    std::string all;
    if (inspection.mach_o)
        for (const native::MachImage& image : inspection.mach_o->images)
            all += (all.empty() ? "" : "; ") +
                   bits(processor_name(System::macos, image.processor), image.is_64_bit);
    return all;
}

void inspect_folder(const fs::path& folder, const native::LoaderModel& loader,
                    const std::function<void(Inspection&&)>& take) {
    constexpr std::size_t files_at_once = 24;
    oneapi::tbb::task_group work;
    std::vector<std::string> files;
    auto begin = [&] {
        work.run([&loader, &take, some = std::move(files)] {
            for (const std::string& file : some)
                if (Inspection one = inspect_file(file, loader, true); !one.format.empty())
                    take(std::move(one));
        });
        files.clear();
    };
    each_entry_below(folder, [&](const fs::directory_entry& entry) {
        std::error_code failed;
        if (entry.is_symlink(failed) || !entry.is_regular_file(failed)) return;
        files.push_back(entry.path().string());
        if (files.size() == files_at_once) begin();
    });
    begin();
    work.wait();
}

void count_host_libraries(Inspection& output, const native::HostLibraries& host) {
    for (const Inspection::NativeFile& file : output.native_files)
        for (const std::string& name : file.needed)
            if (const auto* entry = host.find(name); entry != nullptr && !entry->since.empty())
                output.oldest.add(
                    {file.place, entry->since, system_of(output.target) == System::windows, name});
}

std::vector<Lacking> lacking_libraries(const Inspection& output, const native::HostLibraries& host) {
    std::set<std::string> there;
    for (const Inspection::NativeFile& file : output.native_files)
        there.insert(lower_case(base_name(file.place)));
    std::map<std::string, std::vector<std::string>> lacking;
    for (const Inspection::NativeFile& file : output.native_files)
        for (const std::string& name : file.needed)
            if (host.find(name) == nullptr && !there.contains(lower_case(base_name(name))))
                lacking[name].push_back(file.place);
    std::vector<Lacking> all;
    for (auto& [name, places] : lacking) all.push_back({name, std::move(places)});
    return all;
}

bool HostNames::contains(std::string_view name) {
    if (auto known = known_.find(name); known != known_.end()) return known->second;
    const std::string& kept = kept_.emplace_back(name);
    return known_[kept] = host_.find(base_name(kept)) != nullptr;
}

std::string inspection_json(const Inspection& inspection, HostNames& host) {
    Json one{{"file", inspection.file}, {"bytes", inspection.size}, {"format", inspection.format}};
    if (!inspection.error.empty()) one["error"] = inspection.error;
    if (inspection.elf) one["elf"] = elf_json(inspection, host);
    if (inspection.pe) one["pe"] = pe_json(*inspection.pe);
    if (inspection.mach_o) one["mach_o"] = mach_json(*inspection.mach_o);
    if (inspection.payload) one["output"] = payload_json(*inspection.payload);
    if (auto of_c_library = inspection.oldest.needs(); !of_c_library.empty()) {
        Json& needs = one["c_library"] = Json::array();
        for (const native::CLibraryNeed& need : of_c_library)
            needs.push_back({{"version", native::version_text(need.version)},
                             {"file", need.file},
                             {"symbol", need.symbol}});
    }
    if (const native::KernelNeed& kernel = inspection.oldest.kernel(); !kernel.version.empty())
        one["kernel"] = {{"version", native::version_text(kernel.version)}, {"file", kernel.file}};
    if (inspection.payload && !inspection.target.empty()) one["target"] = inspection.target;
    if (const native::SystemNeed& system = inspection.oldest.system(); !system.version.empty()) {
        one["system"] = {{"name", system.name()}, {"file", system.file}};
        if (!system.library.empty()) one["system"]["library"] = system.library;
    }
    std::string text = json_lines(one);
    text.pop_back(); // the line break: it goes into a list
    return text;
}

std::string inspections_document(const std::vector<std::string>& objects) {
    std::string text = "{\n \"format\": 1,\n \"files\": [";
    for (const std::string& object : objects) {
        text += text.ends_with('[') ? "\n  " : ",\n  ";
        for (char letter : object) {
            text += letter;
            if (letter == '\n') text += "  ";
        }
    }
    return text + (objects.empty() ? "]\n}\n" : "\n ]\n}\n");
}

} // namespace omnistasis::report
