#pragma once

#include "support/files.h"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace omnistasis::native {

/// A program header (System V ABI, "Program Header").
struct ElfSegment {
    std::uint32_t type = 0;
    std::uint32_t flags = 0;
    std::uint64_t offset = 0;  ///< in the file
    std::uint64_t address = 0; ///< in memory, before relocation
    std::uint64_t file_size = 0;
    std::uint64_t memory_size = 0;
    std::uint64_t alignment = 0;
    std::uint64_t physical_address = 0; ///< means nothing on the systems that we know
};

/// An entry of the dynamic section (System V ABI, "Dynamic Section").
struct ElfDynamic {
    std::uint64_t tag = 0;
    std::uint64_t value = 0;
};

/// The symbol versions that a file wants of one library (GNU extension, `.gnu.version_r`).
struct ElfVersionNeed {
    struct Version {
        std::string name;
        bool weak = false;        ///< the file can do without it
        std::uint16_t number = 0; ///< that stands for it in `.gnu.version`
    };
    std::string library;
    std::vector<Version> versions;
};

/// What an ELF file says about itself to the dynamic loader.
struct ElfFile {
    bool is_64_bit = true;
    bool little_endian = true;
    std::uint16_t type = 0;    ///< ET_EXEC 2, ET_DYN 3
    std::uint16_t machine = 0; ///< EM_X86_64 62, EM_AARCH64 183
    std::string interpreter;   ///< PT_INTERP; empty where there is none
    std::string soname;
    std::vector<std::string> needed;      ///< DT_NEEDED and DT_FILTER, in the order of the file
    std::vector<std::string> auxiliary{}; ///< DT_AUXILIARY: loaded in front of it where they are there
    std::optional<std::string> rpath;
    std::optional<std::string> runpath;
    bool ignores_default_folders = false; ///< DF_1_NODEFLIB
    std::vector<ElfVersionNeed> version_needs;
    std::vector<std::string> defined_versions; ///< `.gnu.version_d`
    std::vector<ElfSegment> segments;
    std::vector<ElfDynamic> dynamic;

    /// Where an address of the loaded file is in the file; nothing where it is not in it.
    std::optional<std::uint64_t> offset_of(std::uint64_t address) const;

    /// The value of the first entry of the dynamic section with a tag.
    std::optional<std::uint64_t> dynamic_value(std::uint64_t tag) const;

    /// Whether both could be loaded into one process.
    bool same_machine(const ElfFile& other) const {
        return is_64_bit == other.is_64_bit && little_endian == other.little_endian &&
               machine == other.machine;
    }
};

/// The versions of symbols that a file needs of a library and that it does not have; none where it has no
/// versions at all.
std::vector<std::string> missing_versions(const ElfVersionNeed& need, const ElfFile& library);

/// True where the bytes begin as an ELF file does.
bool looks_like_elf(ByteSpan bytes);

/// Reads the headers and the dynamic section. The bytes may be anything: each offset is checked before it is
/// followed. An error names the offset that is wrong.
Result<ElfFile> read_elf(ByteSpan bytes, const std::string& name);

} // namespace omnistasis::native
