#include "support/target_info.h"

#include <algorithm>
#include <array>
#include <elf.h>
#include <fmt/format.h>
#include <map>

namespace omnistasis {

namespace {

constexpr std::uint32_t pe_x86_64 = 0x8664, pe_x86 = 0x14C, pe_aarch64 = 0xAA64;
constexpr std::uint32_t mach_x86 = 7, mach_x86_64 = 0x01000007, mach_aarch64 = 0x0100000C;

const std::array<TargetInfo, 5>& rows() {
    static const std::array<TargetInfo, 5> table{TargetInfo{.name = "linux-x86_64",
                                                            .system = System::linux,
                                                            .processor = "x86_64",
                                                            .short_processor = "x64",
                                                            .c_library = "glibc",
                                                            .machine = EM_X86_64,
                                                            .loader = "ld-linux-x86-64.so.2",
                                                            .loader_folder = "/lib64",
                                                            .library_folder = "x86_64-linux-gnu",
                                                            .wide_folder = "lib64",
                                                            .manifest_word = "x86_64",
                                                            .relative_calls = true,
                                                            .runner = "qemu-x86_64"},
                                                 TargetInfo{.name = "linux-aarch64",
                                                            .system = System::linux,
                                                            .processor = "aarch64",
                                                            .short_processor = "arm64",
                                                            .c_library = "glibc",
                                                            .machine = EM_AARCH64,
                                                            .loader = "ld-linux-aarch64.so.1",
                                                            .loader_folder = "/lib",
                                                            .library_folder = "aarch64-linux-gnu",
                                                            .wide_folder = "lib64",
                                                            .manifest_word = "aarch64",
                                                            .runner = "qemu-aarch64"},
                                                 TargetInfo{.name = "windows-x86_64",
                                                            .system = System::windows,
                                                            .processor = "x86_64",
                                                            .short_processor = "x64",
                                                            .machine = pe_x86_64,
                                                            .program_ending = ".exe",
                                                            .library_folder = "",
                                                            .manifest_word = "amd64",
                                                            .relative_calls = true,
                                                            .runner = "wine"},
                                                 TargetInfo{.name = "macos-aarch64",
                                                            .system = System::macos,
                                                            .processor = "aarch64",
                                                            .short_processor = "arm64",
                                                            .machine = mach_aarch64,
                                                            .library_folder = "",
                                                            .manifest_word = "arm64",
                                                            .relative_calls = false},
                                                 TargetInfo{.name = "macos-x86_64",
                                                            .system = System::macos,
                                                            .processor = "x86_64",
                                                            .short_processor = "x64",
                                                            .machine = mach_x86_64,
                                                            .library_folder = "",
                                                            .manifest_word = "x86_64",
                                                            .relative_calls = true}};
    return table;
}

#if defined(__aarch64__)
constexpr std::string_view own_name = "linux-aarch64";
#else
constexpr std::string_view own_name = "linux-x86_64";
#endif

struct ProcessorName {
    System format;
    std::uint32_t machine;
    const char* name;
};
constexpr std::array<ProcessorName, 13> processor_names{{{System::linux, EM_X86_64, "x86-64"},
                                                         {System::linux, EM_386, "x86"},
                                                         {System::linux, EM_AARCH64, "aarch64"},
                                                         {System::linux, EM_ARM, "arm"},
                                                         {System::linux, EM_PPC64, "ppc64"},
                                                         {System::linux, EM_S390, "s390x"},
                                                         {System::linux, EM_RISCV, "riscv"},
                                                         {System::windows, pe_x86_64, "x86-64"},
                                                         {System::windows, pe_x86, "x86"},
                                                         {System::windows, pe_aarch64, "aarch64"},
                                                         {System::macos, mach_x86_64, "x86-64"},
                                                         {System::macos, mach_aarch64, "aarch64"},
                                                         {System::macos, mach_x86, "x86"}}};

} // namespace

std::span<const TargetInfo> all_targets() { return rows(); }

const TargetInfo* find_target(std::string_view name) {
    auto found = std::ranges::find(rows(), name, &TargetInfo::name);
    return found == rows().end() ? nullptr : &*found;
}

System system_of(std::string_view target) {
    const TargetInfo* info = find_target(target);
    return info == nullptr ? System::linux : info->system;
}

const TargetInfo* target_with(System system, std::uint32_t machine) {
    auto found = std::ranges::find_if(
        rows(), [&](const TargetInfo& one) { return one.system == system && one.machine == machine; });
    return found == rows().end() ? nullptr : &*found;
}

const TargetInfo& host_info() {
    static const TargetInfo& own = *find_target(own_name);
    return own;
}

const std::string& host_target() { return host_info().name; }

const std::vector<std::string>& known_targets() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> all;
        for (const TargetInfo& one : rows()) all.push_back(one.name);
        return all;
    }();
    return names;
}

std::vector<std::string> library_folders(const TargetInfo& target) {
    if (target.library_folder.empty()) return {};
    return {"/lib/" + target.library_folder, "/usr/lib/" + target.library_folder, "/" + target.wide_folder,
            "/usr/" + target.wide_folder};
}

const LinuxFolders& linux_folders(std::uint32_t machine) {
    static const std::map<std::uint32_t, LinuxFolders> all = [] {
        std::map<std::uint32_t, LinuxFolders> folders{{EM_386, {"i386-linux-gnu", "lib"}}};
        for (const TargetInfo& one : rows())
            if (one.system == System::linux)
                folders.emplace(one.machine, LinuxFolders{one.library_folder, one.wide_folder});
        return folders;
    }();
    auto found = all.find(machine);
    return found != all.end() ? found->second : all.at(host_info().machine);
}

bool is_library_folder(std::string_view name) { return name.ends_with("-linux-gnu"); }

std::string processor_name(System format, std::uint32_t machine) {
    auto found = std::ranges::find_if(processor_names, [&](const ProcessorName& one) {
        return one.format == format && one.machine == machine;
    });
    if (found != processor_names.end()) return found->name;
    switch (format) {
    case System::linux:
        return fmt::format("machine {}", machine);
    case System::windows:
        return fmt::format("machine {:#x}", machine);
    case System::macos:
        return fmt::format("processor {:#x}", machine);
    }
    return {};
}

} // namespace omnistasis
