#pragma once

#include "support/files.h"

#include <cstdint>
#include <string>
#include <vector>

namespace omnistasis::native {

/// A library that a Mach-O file loads.
struct MachLibrary {
    std::string
        name; ///< an install name: a path, or one that begins with @rpath, @loader_path or @executable_path
    std::string current_version, compatible_version; ///< "1.2.3"
    bool weak = false;                               ///< may be missing
    bool reexported = false;
};

/// One architecture of a Mach-O file (<mach-o/loader.h>).
struct MachImage {
    std::uint32_t processor = 0; ///< CPU_TYPE: 0x01000007 x86-64, 0x0100000C arm64
    std::uint32_t kind = 0;      ///< MH_EXECUTE 2, MH_DYLIB 6, MH_BUNDLE 8
    /// A program, or what one loads; not what linkers and debuggers read.
    bool is_loadable() const { return kind == 2 || kind == 6 || kind == 8; }
    bool is_64_bit = false;
    bool little_endian = true;
    std::string install_name;
    std::vector<MachLibrary> libraries;
    std::vector<std::string> search_paths; ///< LC_RPATH
    std::vector<std::string> segments;
    std::string platform;      ///< "macos", "ios", ...; empty where it is not said
    std::string oldest_system; ///< "11.0"
    std::string built_for;     ///< version of the SDK
    std::string loader;        ///< the dynamic loader that starts a program
    std::string uuid;
    bool is_signed = false; ///< has LC_CODE_SIGNATURE
    bool is_encrypted = false;
};

/// A Mach-O file: one image, or several where it is universal.
struct MachFile {
    bool universal = false;
    std::vector<MachImage> images;
};

bool looks_like_mach_o(ByteSpan bytes);

/// Reads it; the bytes may be anything. An error names the offset that is wrong.
Result<MachFile> read_mach_o(ByteSpan bytes, const std::string& name);

} // namespace omnistasis::native
