#pragma once

#include "support/files.h"

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace omnistasis::native {

/// A function that a PE file imports, by its name or by its number.
struct PeFunction {
    std::string_view name; ///< empty where it is asked for by number
    std::uint16_t number = 0;

    std::string text() const; ///< the name, or "#7"
};

/// A library that a PE file imports from, and what.
struct PeImport {
    std::string library;
    std::vector<PeFunction> functions;
    bool delayed = false; ///< loaded when it is first called
};

/// A resource's data: type, name and language are numbers or texts.
struct PeResource {
    std::string type; ///< "3" an icon, "14" a group of icons, "16" the version, "24" the manifest, ...
    std::string name;
    std::uint32_t language = 0; ///< a Windows language identifier
    std::uint32_t offset = 0;   ///< in the file
    std::uint32_t size = 0;
};

/// A picture of the icon.
struct PeIcon {
    unsigned width = 0;
    unsigned height = 0;
    unsigned bits = 0; ///< per pixel
};

/// What a PE file says about itself ("PE Format", Microsoft). The names of functions, of which a file may
/// have tens of thousands, lie in the bytes that were read.
struct PeFile {
    bool is_64_bit = false;
    bool is_library = false;                          ///< IMAGE_FILE_DLL
    std::uint16_t machine = 0;                        ///< 0x8664 x86-64, 0x14C x86, 0xAA64 aarch64
    std::uint16_t subsystem = 0;                      ///< 2 window, 3 console
    std::uint16_t oldest_major = 0, oldest_minor = 0; ///< MajorSubsystemVersion: 6.1 is Windows 7, 10.0 is 10
    std::uint32_t checksum = 0;                       ///< as written in the file
    std::uint32_t timestamp = 0;
    std::uint16_t characteristics = 0; ///< DllCharacteristics
    bool is_signed = false;            ///< has an attribute certificate
    std::vector<std::string> sections;
    std::vector<PeImport> imports;
    std::string export_name; ///< as a library calls itself
    std::vector<std::string_view> exports;
    std::vector<PeResource> resources;
    std::vector<PeIcon> icons; ///< of the first group
    std::map<std::string, std::string>
        version;          ///< the fields of the first language; and "FileVersion" as numbers, under "(file)"
    std::string manifest; ///< XML
};

bool looks_like_pe(ByteSpan bytes);

/// Reads it; the bytes may be anything, and are to stay as long as the result. An error names the offset that
/// is wrong.
Result<PeFile> read_pe(ByteSpan bytes, const std::string& name);

} // namespace omnistasis::native
