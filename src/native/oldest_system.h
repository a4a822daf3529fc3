#pragma once

#include "native/elf_reader.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"

#include <map>
#include <string>
#include <vector>

namespace omnistasis::native {

/// A version of the C library that a file needs, and one symbol for which.
struct CLibraryNeed {
    std::string file;
    std::vector<int> version; ///< 2.34 is {2, 34}
    std::string symbol;       ///< one that is of that version; empty where the file does not tell
};

/// The oldest kernel that a file is made for, as its ABI note says (Linux Standard Base Core, "Note
/// Sections").
struct KernelNeed {
    std::string file;
    std::vector<int> version; ///< 3.2.0 is {3, 2, 0}; empty where no file says it
};

/// The oldest Windows or macOS that a file is made for, as its own header says.
struct SystemNeed {
    std::string file;
    std::vector<int> version; ///< macOS 14.7 is {14, 7}, Windows 7 {6, 1}; empty where no file says it
    bool is_windows = false;
    std::string library{}; ///< a later one of the system's, from which it follows; empty: the header says it

    /// "macOS 14.7", "Windows 7", "Windows 10 1903"
    std::string name() const;
    /// "X.dll says", "X.dll asks for icu.dll"; empty where no file is known
    std::string cause() const;
};

/// How old a system may be that files run on: by the versioned symbols that they take from the C library's
/// family (glibc: libc.so.6, libm.so.6, libpthread.so.0, ...), unless that is one of the files, and by the
/// kernel that they are made for.
class OldestSystem {
  public:
    /// Adds a file: its name and its content, which has been read as `elf`.
    void add(const std::string& name, const ElfFile& elf, ByteSpan content);

    void add(const std::string& name, const MachFile& file);
    void add(const std::string& name, const PeFile& file);
    void add(SystemNeed need);

    /// Adds all that another has seen.
    void add(const OldestSystem& other);

    /// The needs, highest first; of each file the highest. Empty where the C library is among the files.
    std::vector<CLibraryNeed> needs() const;

    /// The highest.
    const KernelNeed& kernel() const { return kernel_; }

    /// The highest.
    const SystemNeed& system() const { return system_; }

    /// Whether the C library itself is among the files.
    bool brings_c_library() const { return brings_c_library_; }

  private:
    std::vector<CLibraryNeed> needs_;
    KernelNeed kernel_;
    SystemNeed system_;
    bool brings_c_library_ = false;
};

/// {2, 34} of "2.34"; empty where that is no version.
std::vector<int> parse_version(std::string_view text);

/// "2.34"
std::string version_text(const std::vector<int>& version);

/// A system and the version of the C library that it has.
struct KnownSystem {
    std::vector<int> version;
    std::string name;
};

/// Systems of `data/hosts/<target>.toml`, oldest first.
Result<std::vector<KnownSystem>> known_systems(const fs::path& data, const std::string& target);

} // namespace omnistasis::native
