#pragma once

// The systems and processors that outputs are made for. All that is known of one stands in its row; no other
// file names a processor.

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis {

enum class System { linux, windows, macos };

struct TargetInfo {
    std::string name{}; ///< "linux-x86_64": system and processor
    System system = System::linux;
    std::string processor{};       ///< as kernels name it
    std::string short_processor{}; ///< as packages for several systems name it: "x64"
    std::string c_library{};       ///< whose versions programs ask for; empty where the system has but one
    std::uint32_t machine = 0;     ///< of a native file's header: ELF e_machine, PE Machine, Mach-O cputype
    std::string program_ending{};  ///< of a program's file name
    std::string loader{};          ///< file name of the dynamic loader; Linux only
    std::string loader_folder{};   ///< where programs look for it; Linux only
    std::string
        library_folder{};      ///< below /lib and /usr/lib, where libraries for several processors lie; Linux
    std::string wide_folder{}; ///< below / and /usr, where they lie on other systems; Linux
    std::string
        manifest_word{}; ///< the processor as the system's own manifests and packages name it: "amd64"
    bool relative_calls = false; ///< code compresses better with its call offsets made absolute
    /// The program that runs its programs on another system; empty where none does.
    std::string runner{};
};

/// All targets, in the order in which they are listed.
std::span<const TargetInfo> all_targets();

/// The row of a target; null for a name that is none.
const TargetInfo* find_target(std::string_view name);

/// The system of a target; `linux` for a name that is none.
System system_of(std::string_view target);

/// The target of native files of a system, by the machine in their headers; null where none has it.
const TargetInfo* target_with(System system, std::uint32_t machine);

/// This machine's.
const TargetInfo& host_info();
const std::string& host_target();

/// The names of all.
const std::vector<std::string>& known_targets();

/// Where a Linux system keeps its libraries, absolute, the usual one first.
std::vector<std::string> library_folders(const TargetInfo& target);

/// The two kinds of library folders for the programs of an ELF machine, also of one that no target has.
struct LinuxFolders {
    std::string several; ///< as TargetInfo::library_folder
    std::string one;     ///< as TargetInfo::wide_folder
};
const LinuxFolders& linux_folders(std::uint32_t machine);

/// Whether a folder's name is that of libraries for one processor of several.
bool is_library_folder(std::string_view name);

/// What people call the processor of a native file, also of one that no target has.
std::string processor_name(System format, std::uint32_t machine);

} // namespace omnistasis
