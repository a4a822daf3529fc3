#include "dress/pe_resources.h"

#include "dress/icon_files.h"
#include "payload_format.h"
#include "support/byte_view.h"
#include "support/byte_writer.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <optional>
#include <sys/stat.h>
#include <tuple>
#include <unistd.h>

namespace omnistasis::dress {

namespace {

// Resource types.
constexpr std::uint32_t type_icon = 3, type_icon_group = 14, type_version = 16, type_manifest = 24;
constexpr std::uint32_t english = 0x0409;

constexpr std::uint32_t section_header_size = 40;

std::uint64_t rounded(std::uint64_t value, std::uint64_t step) { return (value + step - 1) / step * step; }

void pad(std::string& out, std::size_t step) { out.resize(rounded(out.size(), step)); }

/// UTF-8 as UTF-16, little-endian. What is no UTF-8 becomes the replacement character.
std::string utf16(const std::string& text) {
    std::string out;
    for (std::size_t at = 0; at < text.size();) {
        auto lead = static_cast<unsigned char>(text[at]);
        int more = lead < 0x80                   ? 0
                   : lead >= 0xf0 && lead < 0xf8 ? 3
                   : lead >= 0xe0                ? 2
                   : lead >= 0xc2                ? 1
                                                 : -1;
        std::uint32_t code = more == 0   ? lead
                             : more == 1 ? lead & 0x1f
                             : more == 2 ? lead & 0x0f
                                         : lead & 0x07;
        bool whole = more >= 0 && at + static_cast<std::size_t>(more) < text.size();
        for (int i = 1; whole && i <= more; ++i) {
            auto byte = static_cast<unsigned char>(text[at + static_cast<std::size_t>(i)]);
            whole = (byte & 0xc0) == 0x80;
            code = code << 6 | (byte & 0x3f);
        }
        if (!whole) {
            put_little(out, 0xfffd, 2);
            ++at;
            continue;
        }
        at += static_cast<std::size_t>(more) + 1;
        if (code >= 0x10000) {
            put_little(out, 0xd800 + ((code - 0x10000) >> 10), 2);
            put_little(out, 0xdc00 + ((code - 0x10000) & 0x3ff), 2);
        } else {
            put_little(out, code, 2);
        }
    }
    return out;
}

/// A block of version information: length, length of the value, kind, name, value, blocks inside. Each begins
/// at a multiple of four.
std::string version_block(const std::string& name, const std::string& value, bool is_text,
                          const std::vector<std::string>& inner) {
    std::string block;
    put_little(block, 0, 2);
    put_little(block, is_text ? value.size() / 2 : value.size(), 2);
    put_little(block, is_text ? 1 : 0, 2);
    block += utf16(name);
    put_little(block, 0, 2);
    pad(block, 4);
    block += value;
    for (const std::string& one : inner) {
        pad(block, 4);
        block += one;
    }
    set_little(block, 0, block.size(), 2);
    return block;
}

std::string version_resource(const PeDress& dress) {
    std::string fixed;
    put_little(fixed, 0xFEEF04BD, 4);
    put_little(fixed, 0x00010000, 4);
    const auto& version = dress.version;
    for (int i = 0; i < 2; ++i) { // of the file, of the product
        put_little(fixed, std::uint32_t(version[0]) << 16 | version[1], 4);
        put_little(fixed, std::uint32_t(version[2]) << 16 | version[3], 4);
    }
    put_little(fixed, 0x3f, 4);
    put_little(fixed, 0, 4);
    put_little(fixed, 0x00040004, 4); // VOS_NT_WINDOWS32
    put_little(fixed, 1, 4);          // VFT_APP
    put_little(fixed, 0, 4);
    put_little(fixed, 0, 8);
    std::vector<std::string> tables;
    std::string translations;
    constexpr unsigned unicode = 0x04b0;
    for (const VersionTexts& texts : dress.texts) {
        std::vector<std::string> fields;
        for (const auto& [name, text] : texts.fields)
            fields.push_back(version_block(name, utf16(text) + std::string(2, '\0'), true, {}));
        tables.push_back(
            version_block(fmt::format("{:04x}{:04x}", texts.language, unicode), "", true, fields));
        put_little(translations, texts.language, 2);
        put_little(translations, unicode, 2);
    }
    return version_block(
        "VS_VERSION_INFO", fixed, false,
        {version_block("StringFileInfo", "", true, tables),
         version_block("VarFileInfo", "", true, {version_block("Translation", translations, false, {})})});
}

struct Resource {
    std::uint32_t type = 0;
    std::uint32_t name = 0;
    std::uint32_t language = english;
    std::string data;
    std::string text = {}; ///< its name where that is a text: UTF-16
};

/// Under this name Qt looks for the icon of windows that set none.
constexpr const char* icon_of_windows = "IDI_ICON1";

std::vector<Resource> resources_of(const PeDress& dress) {
    std::vector<Resource> resources;
    std::string group;
    put_little(group, 0, 2);
    put_little(group, 1, 2);
    put_little(group, dress.icons.size(), 2);
    std::uint32_t number = 0;
    for (const Picture& icon : dress.icons) {
        std::string image = icon_image(icon);
        put_little(group, icon.width >= 256 ? 0 : static_cast<unsigned>(icon.width), 1);
        put_little(group, icon.height >= 256 ? 0 : static_cast<unsigned>(icon.height), 1);
        put_little(group, 0, 2);
        put_little(group, 1, 2);
        put_little(group, 32, 2);
        put_little(group, image.size(), 4);
        put_little(group, ++number, 2);
        resources.push_back({type_icon, number, english, std::move(image)});
    }
    if (number > 0) {
        resources.push_back({type_icon_group, 0, english, group, utf16(icon_of_windows)});
        resources.push_back({type_icon_group, 1, english, std::move(group)});
    }
    if (!dress.texts.empty()) resources.push_back({type_version, 1, english, version_resource(dress)});
    if (!dress.manifest.empty()) resources.push_back({type_manifest, 1, english, dress.manifest});
    return resources;
}

/// The section: three levels of folders (type, name, language), the entries, the data. Resources come sorted.
std::string resource_section(const std::vector<Resource>& resources, std::uint32_t address) {
    std::vector<std::uint32_t> types;
    for (const Resource& one : resources)
        if (types.empty() || types.back() != one.type) types.push_back(one.type);
    auto count_of = [&](std::uint32_t type) {
        return static_cast<std::size_t>(std::ranges::count(resources, type, &Resource::type));
    };
    constexpr std::size_t folder_head = 16, folder_entry = 8, data_entry = 16;
    std::size_t names_at = folder_head + folder_entry * types.size();
    std::size_t languages_at = names_at;
    for (std::uint32_t type : types) languages_at += folder_head + folder_entry * count_of(type);
    std::size_t entries_at = languages_at + (folder_head + folder_entry) * resources.size();
    std::size_t texts_at = entries_at + data_entry * resources.size();
    std::string texts;
    for (const Resource& one : resources)
        if (!one.text.empty()) {
            put_little(texts, one.text.size() / 2, 2);
            texts += one.text;
        }
    std::size_t data_at = rounded(texts_at + texts.size(), 16);
    std::string out;
    auto head = [&](std::size_t with_texts, std::size_t with_numbers) {
        out.append(12, '\0');
        put_little(out, with_texts, 2);
        put_little(out, with_numbers, 2);
    };
    constexpr std::uint32_t is_inner = 0x80000000, is_text = 0x80000000;
    head(0, types.size());
    std::size_t next = names_at;
    for (std::uint32_t type : types) {
        put_little(out, type, 4);
        put_little(out, is_inner | next, 4);
        next += folder_head + folder_entry * count_of(type);
    }
    std::size_t number = 0, text = texts_at;
    for (std::uint32_t type : types) {
        auto with_texts = static_cast<std::size_t>(std::ranges::count_if(
            resources, [&](const Resource& one) { return one.type == type && !one.text.empty(); }));
        head(with_texts, count_of(type) - with_texts);
        for (const Resource& one : resources) {
            if (one.type != type) continue;
            put_little(out, one.text.empty() ? one.name : is_text | text, 4);
            if (!one.text.empty()) text += 2 + one.text.size();
            put_little(out, is_inner | (languages_at + (folder_head + folder_entry) * number++), 4);
        }
    }
    for (std::size_t i = 0; i < resources.size(); ++i) {
        head(0, 1);
        put_little(out, resources[i].language, 4);
        put_little(out, entries_at + data_entry * i, 4);
    }
    std::size_t at = data_at;
    for (const Resource& one : resources) {
        put_little(out, address + at, 4);
        put_little(out, one.data.size(), 4);
        put_little(out, 0, 8);
        at = rounded(at + one.data.size(), 16);
    }
    out += texts;
    for (const Resource& one : resources) {
        pad(out, 16);
        out += one.data;
    }
    return out;
}

struct Language {
    const char* name;
    std::uint16_t identifier;
};
constexpr Language languages[] = {
    {"ar-SA", 0x0401}, {"bg-BG", 0x0402}, {"ca-ES", 0x0403}, {"cs-CZ", 0x0405}, {"da-DK", 0x0406},
    {"de-AT", 0x0c07}, {"de-CH", 0x0807}, {"de-DE", 0x0407}, {"el-GR", 0x0408}, {"en-GB", 0x0809},
    {"en-US", 0x0409}, {"es-ES", 0x0c0a}, {"es-MX", 0x080a}, {"et-EE", 0x0425}, {"fi-FI", 0x040b},
    {"fr-CA", 0x0c0c}, {"fr-CH", 0x100c}, {"fr-FR", 0x040c}, {"he-IL", 0x040d}, {"hi-IN", 0x0439},
    {"hr-HR", 0x041a}, {"hu-HU", 0x040e}, {"is-IS", 0x040f}, {"it-IT", 0x0410}, {"ja-JP", 0x0411},
    {"ko-KR", 0x0412}, {"lt-LT", 0x0427}, {"lv-LV", 0x0426}, {"nb-NO", 0x0414}, {"nl-BE", 0x0813},
    {"nl-NL", 0x0413}, {"nn-NO", 0x0814}, {"pl-PL", 0x0415}, {"pt-BR", 0x0416}, {"pt-PT", 0x0816},
    {"ro-RO", 0x0418}, {"ru-RU", 0x0419}, {"sk-SK", 0x041b}, {"sl-SI", 0x0424}, {"sv-SE", 0x041d},
    {"th-TH", 0x041e}, {"tr-TR", 0x041f}, {"uk-UA", 0x0422}, {"vi-VN", 0x042a}, {"zh-CN", 0x0804},
    {"zh-TW", 0x0404},
};

} // namespace

namespace {

constexpr std::uint32_t is_folder = 0x80000000; // also: a name instead of a number

/// Where the parts of a 64-bit program's headers are ("PE Format", COFF File Header and Optional Header).
struct Headers {
    std::uint64_t header = 0, optional = 0, sections = 0;
    std::uint16_t count = 0; ///< of sections
    std::uint32_t alignment = 0, file_alignment = 0;
    std::string wrong; ///< why it can take no further section; empty where it can

    std::uint64_t directory(int number) const { return optional + 112 + 8u * static_cast<unsigned>(number); }
};

constexpr int directory_of_resources = 2, directory_of_certificates = 4;

Headers headers_of(const ByteView& view) {
    Headers found;
    found.header = view.word(payload::pe_header_offset);
    found.optional = found.header + 24;
    if (view.word(found.header) != 0x4550 || view.half(found.optional) != 0x20b) {
        found.wrong = "it is no 64-bit PE file";
        return found;
    }
    found.sections = found.optional + view.half(found.header + 20);
    found.count = view.half(found.header + 6);
    found.alignment = view.word(found.optional + 32);
    found.file_alignment = view.word(found.optional + 36);
    std::uint64_t ends = found.sections + section_header_size * (found.count + 1u);
    // "PE Format": powers of two, in the file at most 64 kB; sections of common programs have 4 kB.
    constexpr std::uint32_t most_in_file = 64u << 10, most_in_memory = 16u << 20;
    if (!std::has_single_bit(found.alignment) || found.alignment > most_in_memory ||
        !std::has_single_bit(found.file_alignment) || found.file_alignment > most_in_file)
        found.wrong = "its alignment is none";
    if (ends > view.word(found.optional + 60) || !view.holds(0, ends))
        found.wrong = "there is no room for one more section header";
    return found;
}

std::string with_section(std::string program, const Headers& headers, std::vector<Resource> resources) {
    ByteView view(as_bytes(program));
    std::uint64_t address = 0;
    for (std::uint16_t i = 0; i < headers.count; ++i) {
        std::uint64_t at = headers.sections + section_header_size * i;
        address = std::max<std::uint64_t>(address, view.word(at + 12) + std::uint64_t(view.word(at + 8)));
    }
    address = rounded(address, headers.alignment);
    // Texts come in front of numbers.
    std::ranges::stable_sort(resources, {}, [](const Resource& one) {
        return std::tuple(one.type, one.text.empty(), one.text, one.name);
    });
    std::string section = resource_section(resources, static_cast<std::uint32_t>(address));
    std::uint64_t size = section.size();
    pad(program, headers.file_alignment);
    std::uint64_t offset = program.size();
    section.resize(rounded(section.size(), headers.file_alignment));
    view = ByteView(as_bytes(program));

    std::string entry = ".rsrc";
    entry.resize(8);
    put_little(entry, size, 4);
    put_little(entry, address, 4);
    put_little(entry, section.size(), 4);
    put_little(entry, offset, 4);
    entry.append(12, '\0');
    put_little(entry, 0x40000040, 4); // initialised data, readable
    program.replace(headers.sections + section_header_size * headers.count, section_header_size, entry);
    set_little(program, headers.header + 6, headers.count + 1u, 2);
    set_little(program, headers.optional + 8, view.word(headers.optional + 8) + section.size(), 4);
    set_little(program, headers.optional + 56, rounded(address + size, headers.alignment), 4); // of the image
    set_little(program, headers.directory(directory_of_resources), address, 4);
    set_little(program, headers.directory(directory_of_resources) + 4, size, 4);
    set_little(program, headers.header + payload::pe_checksum_offset, 0, 4);
    return program + section;
}

/// The resources of a program, of types and languages that are numbers; nothing where one of these is a text.
class ResourceReader {
  public:
    ResourceReader(ByteView view, const Headers& headers) : view_(view), headers_(headers) {}

    std::optional<std::vector<Resource>> read() {
        start_ = offset_of(view_.word(headers_.directory(directory_of_resources)));
        bool right = start_ != 0 && each(0, [&](std::uint32_t type, std::uint32_t names) {
                         return each(names, [&](std::uint32_t name, std::uint32_t languages) {
                             return each(languages, [&](std::uint32_t language, std::uint32_t data) {
                                 std::uint64_t at = start_ + data;
                                 ByteSpan bytes = view_.part(offset_of(view_.word(at)), view_.word(at + 4));
                                 Resource one{type, name, language, std::string(as_text(bytes))};
                                 if ((name & is_folder) != 0) {
                                     std::uint64_t text = start_ + (name & ~is_folder);
                                     one.name = 0;
                                     one.text = as_text(view_.part(text + 2, 2u * view_.half(text)));
                                     if (one.text.empty()) return false;
                                 }
                                 found_.push_back(std::move(one));
                                 // Together they are a part of the file, whatever their entries say.
                                 total_ += bytes.size();
                                 return total_ <= view_.size() && !bytes.empty() &&
                                        ((type | language) & is_folder) == 0;
                             });
                         });
                     });
        if (!right) return std::nullopt;
        return std::move(found_);
    }

  private:
    static constexpr std::size_t most = 10'000;

    std::uint64_t offset_of(std::uint64_t address) const {
        for (std::uint16_t i = 0; i < headers_.count; ++i) {
            std::uint64_t at = headers_.sections + section_header_size * i;
            std::uint64_t first = view_.word(at + 12);
            if (address >= first && address < first + view_.word(at + 16))
                return address - first + view_.word(at + 20);
        }
        return 0;
    }

    /// Calls `take` with number and offset of each entry of a folder, until it returns false.
    template <typename Take> bool each(std::uint32_t folder, Take take) {
        std::uint64_t at = start_ + (folder & ~is_folder);
        std::size_t count = view_.half(at + 12) + std::size_t(view_.half(at + 14));
        for (std::size_t i = 0; i < count; ++i) {
            std::uint64_t entry = at + 16 + 8 * i;
            if (++seen_ > most || !view_.holds(entry, 8) || !take(view_.word(entry), view_.word(entry + 4)))
                return false;
        }
        return true;
    }

    ByteView view_;
    const Headers& headers_;
    std::uint64_t start_ = 0;
    std::size_t seen_ = 0, total_ = 0;
    std::vector<Resource> found_;
};

std::uint32_t checksum_of(ByteSpan bytes, std::uint64_t field) {
    // 16 bits at a time, with what overflows added again; the field itself counts as zero.
    std::uint64_t sum = 0;
    for (std::size_t at = 0; at < bytes.size(); at += 2) {
        if (at == field || at == field + 2) continue;
        sum += static_cast<std::uint64_t>(bytes[at]) |
               (at + 1 < bytes.size() ? std::uint64_t(bytes[at + 1]) << 8 : 0);
    }
    while ((sum >> 16) != 0) sum = (sum & 0xffff) + (sum >> 16);
    return static_cast<std::uint32_t>(sum + bytes.size());
}

} // namespace

Result<std::string> with_resources(std::string program, const PeDress& dress) {
    auto wrong = [](const std::string& why) {
        return fail(ErrorKind::fault, "the launcher can't take resources", "", why,
                    "install Omnistasis anew");
    };
    ByteView view(as_bytes(program));
    Headers headers = headers_of(view);
    if (!headers.wrong.empty()) return wrong(headers.wrong);
    if (view.word(headers.directory(directory_of_resources)) != 0) return wrong("it has some already");
    std::vector<Resource> resources = resources_of(dress);
    std::size_t size = 0;
    for (const Resource& one : resources) size += one.data.size();
    if (size > (64u << 20)) return wrong("the icon is larger than 64 MB");
    set_little(program, headers.optional + 68, dress.is_window ? 2 : 3, 2);
    return with_section(std::move(program), headers, std::move(resources));
}

std::string manifest_with(std::string manifest, const ManifestSettings& settings) {
    constexpr std::string_view end = "</assembly>", end_of_settings = "</windowsSettings>";
    if (settings.empty()) return manifest;
    if (manifest.find(end) == std::string::npos)
        manifest =
            "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n"
            "<assembly xmlns=\"urn:schemas-microsoft-com:asm.v1\" manifestVersion=\"1.0\">\n</assembly>\n";
    for (const ManifestSetting& one : settings) {
        // What it says already is said anew.
        std::size_t begin = manifest.find("<" + one.name + " ");
        std::size_t behind = begin == std::string::npos ? begin : manifest.find("</" + one.name + ">", begin);
        if (behind != std::string::npos) manifest.erase(begin, behind + one.name.size() + 3 - begin);
        if (manifest.find(end) == std::string::npos) manifest += end;
        if (manifest.find(end_of_settings) == std::string::npos)
            manifest.insert(
                manifest.rfind(end),
                "  <application xmlns=\"urn:schemas-microsoft-com:asm.v3\">\n    <windowsSettings>\n    "
                "</windowsSettings>\n  </application>\n");
        manifest.insert(
            manifest.find(end_of_settings),
            fmt::format("  <{0} xmlns=\"http://schemas.microsoft.com/SMI/{1}/WindowsSettings\">{2}</{0}>\n"
                        "    ",
                        one.name, one.space, xml_text(one.text)));
    }
    return manifest;
}

std::string with_other_resources(std::string program, const PeDress& dress) {
    ByteView view(as_bytes(program));
    Headers headers = headers_of(view);
    auto kept = headers.wrong.empty() ? ResourceReader(view, headers).read() : std::nullopt;
    if (!kept) return program;
    bool has_icon = !dress.icons.empty();
    std::erase_if(*kept, [&](const Resource& one) {
        return one.type == type_version ||
               (has_icon && (one.type == type_icon || one.type == type_icon_group));
    });
    PeDress other = dress;
    other.manifest.clear(); // what the program declares of itself stays
    auto declared = std::ranges::find(*kept, type_manifest, &Resource::type);
    if (declared != kept->end())
        declared->data = manifest_with(std::move(declared->data), dress.settings);
    else
        other.manifest = manifest_with({}, dress.settings);
    for (Resource& one : resources_of(other)) kept->push_back(std::move(one));
    std::uint64_t certificates = headers.directory(directory_of_certificates);
    std::uint64_t at = view.word(certificates), size = view.word(certificates + 4);
    std::uint64_t end = view.word(headers.optional + 60); // of the headers, then of what sections hold
    for (std::uint16_t i = 0; i < headers.count; ++i) {
        std::uint64_t section = headers.sections + section_header_size * i;
        end = std::max(end, std::uint64_t(view.word(section + 20)) + view.word(section + 16));
    }
    bool is_last = at >= end && rounded(at + size, 8) >= program.size() && at < program.size();
    set_little(program, certificates, 0, 8);
    if (is_last) program.resize(at);
    program = with_section(std::move(program), headers, std::move(*kept));
    set_pe_checksum(program);
    return program;
}

void set_pe_checksum(std::string& program) {
    ByteView view(as_bytes(program));
    std::uint64_t field = view.word(payload::pe_header_offset) + payload::pe_checksum_offset;
    if (view.holds(field, 4)) set_little(program, field, checksum_of(as_bytes(program), field), 4);
}

Result<void> write_pe_checksum(const fs::path& file) {
    auto mapped = MappedFile::open(file);
    if (!mapped) return pass_on(mapped);
    ByteSpan bytes = mapped->bytes();
    ByteView view(bytes);
    std::uint64_t field = view.word(payload::pe_header_offset) + payload::pe_checksum_offset;
    if (!view.holds(field, 4)) return fail(ErrorKind::fault, "this is not a PE file", file.string());
    std::uint32_t checksum = checksum_of(bytes, field);
    std::array<std::uint8_t, 4> stored{};
    for (std::size_t i = 0; i < 4; ++i) stored[i] = static_cast<std::uint8_t>(checksum >> 8 * i);
    int descriptor = ::open(file.c_str(), O_WRONLY | O_CLOEXEC);
    bool written = descriptor >= 0 && ::pwrite(descriptor, stored.data(), 4, static_cast<off_t>(field)) == 4;
    int reason = errno;
    if (descriptor >= 0) ::close(descriptor);
    if (!written)
        return fail(ErrorKind::unwritable, "can't write the checksum", file.string(), system_text(reason));
    return {};
}

std::string application_manifest(const std::string& name, const std::array<std::uint16_t, 4>& version,
                                 const std::string& description, const std::string& level,
                                 const std::string& processor) {
    return fmt::format(
        R"(<?xml version="1.0" encoding="UTF-8" standalone="yes"?>
<assembly xmlns="urn:schemas-microsoft-com:asm.v1" manifestVersion="1.0">
  <assemblyIdentity type="win32" name="{}" version="{}.{}.{}.{}" processorArchitecture="{}"/>
  <description>{}</description>
  <trustInfo xmlns="urn:schemas-microsoft-com:asm.v3">
    <security>
      <requestedPrivileges>
        <requestedExecutionLevel level="{}" uiAccess="false"/>
      </requestedPrivileges>
    </security>
  </trustInfo>
  <compatibility xmlns="urn:schemas-microsoft-com:compatibility.v1">
    <application>
      <supportedOS Id="{{8e0f7a12-bfb3-4fe8-b9a5-48fd50a15a9a}}"/>
    </application>
  </compatibility>
  <application xmlns="urn:schemas-microsoft-com:asm.v3">
    <windowsSettings>
      <dpiAware xmlns="http://schemas.microsoft.com/SMI/2005/WindowsSettings">true/pm</dpiAware>
      <longPathAware xmlns="http://schemas.microsoft.com/SMI/2016/WindowsSettings">true</longPathAware>
      <dpiAwareness xmlns="http://schemas.microsoft.com/SMI/2016/WindowsSettings">PerMonitorV2</dpiAwareness>
      <activeCodePage xmlns="http://schemas.microsoft.com/SMI/2019/WindowsSettings">UTF-8</activeCodePage>
    </windowsSettings>
  </application>
</assembly>
)",
        xml_text(name), version[0], version[1], version[2], version[3], processor, xml_text(description),
        level);
}

std::optional<std::array<std::uint16_t, 4>> version_numbers(const std::string& text) {
    std::array<std::uint16_t, 4> numbers{};
    if (text.empty()) return numbers;
    std::string plain = text.substr(0, text.find_first_of("-+"));
    if (plain.starts_with('v')) plain.erase(0, 1);
    std::size_t count = 0;
    for (std::size_t at = 0; at <= plain.size(); ++count) {
        std::size_t end = std::min(plain.find('.', at), plain.size());
        std::string part = plain.substr(at, end - at);
        bool is_number =
            !part.empty() && part.size() <= 5 && part.find_first_not_of("0123456789") == std::string::npos;
        if (!is_number || count == 4 || std::stoul(part) > 65535) return std::nullopt;
        numbers[count] = static_cast<std::uint16_t>(std::stoul(part));
        at = end + 1;
    }
    return numbers;
}

std::uint16_t language_identifier(const std::string& name) {
    for (const Language& one : languages)
        if (name == one.name) return one.identifier;
    return 0;
}

std::vector<std::string> known_languages() {
    std::vector<std::string> names;
    for (const Language& one : languages) names.emplace_back(one.name);
    return names;
}

} // namespace omnistasis::dress
