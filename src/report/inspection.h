#pragma once

#include "native/host_libraries.h"
#include "native/loader_model.h"
#include "native/mach_o_reader.h"
#include "native/oldest_system.h"
#include "native/pe_reader.h"
#include "payload/payload_contents.h"

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace omnistasis::report {

/// What is known of a native file (or of nothing else in it: then `format` is empty).
struct Inspection {
    std::string file;
    std::uint64_t size = 0;
    std::string format; ///< "ELF", "PE", "Mach-O", "Omnistasis output"; empty: none of these
    std::shared_ptr<const native::ElfFile> elf;
    std::optional<native::PeFile> pe;
    std::shared_ptr<const MappedFile> content; ///< that names of `pe` lie in, where `loader` does not keep it
    std::optional<native::MachFile> mach_o;
    std::optional<native::LoadedProcess> process; ///< ELF: what this machine's loader makes of it
    std::optional<payload::PayloadContents> payload;
    native::OldestSystem oldest; ///< ELF, or all native files of an output
    /// A native file of an output's tree.
    struct NativeFile {
        std::string place;
        std::vector<std::string> needed;
    };
    std::vector<NativeFile> native_files;
    std::string target; ///< of an output's native files; empty: not known
    std::string error;  ///< why it can't be read
};

/// Looks at one file. ELF files are resolved with `loader`, where they are for this machine. `brief`: as one
/// of many, without what has to be searched for in its content; then `loader` has to stay as long as the
/// result.
Inspection inspect_file(const std::string& file, const native::LoaderModel& loader, bool brief = false);

/// "program", "library", "bundle", ...
std::string kind_of(const native::MachImage& image);

/// "x86-64, 64 bit", ...
std::string architecture_of(const Inspection& inspection);

/// Looks at all native files and outputs below a folder (links are not followed) while it is walked. `take`
/// is called for each, from several threads at once and in no order; what it gets stays as long as `loader`.
void inspect_folder(const fs::path& folder, const native::LoaderModel& loader,
                    const std::function<void(Inspection&&)>& take);

/// Adds what follows for the oldest system from the host libraries that files of an output ask for.
void count_host_libraries(Inspection& output, const native::HostLibraries& host);

/// A library that files of an output ask for, and that is neither in it nor its system's.
struct Lacking {
    std::string name;
    std::vector<std::string> asked_by; ///< places
};

/// All of them, sorted by name; `host` is that of the output's target.
std::vector<Lacking> lacking_libraries(const Inspection& output, const native::HostLibraries& host);

/// Which names are the host's. Its list is one of patterns, and the same names come again and again. For one
/// thread.
class HostNames {
  public:
    explicit HostNames(const native::HostLibraries& host) : host_(host) {}
    bool contains(std::string_view name);

  private:
    const native::HostLibraries& host_;
    std::unordered_map<std::string_view, bool> known_; ///< names are texts of `kept_`
    std::deque<std::string> kept_;
};

/// The JSON object that tells of an inspection, and the document of several such (docs/inspect.md).
std::string inspection_json(const Inspection& inspection, HostNames& host);
std::string inspections_document(const std::vector<std::string>& objects);

} // namespace omnistasis::report
