#include "native/native_kind.h"

#include "native/elf_reader.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"
#include "support/byte_view.h"
#include "support/files.h"

#include <algorithm>
#include <array>
#include <fcntl.h>
#include <unistd.h>

namespace omnistasis::native {

namespace {

std::uint32_t number_at(ByteSpan bytes, std::size_t offset, std::size_t size, bool big) {
    if (offset > bytes.size() || bytes.size() - offset < size) return 0;
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < size; ++i)
        number |= static_cast<std::uint32_t>(bytes[offset + i]) << 8 * (big ? size - 1 - i : i);
    return number;
}

void add_mach(NativeKind& kind, std::uint32_t processor) {
    if (processor == 0x01000007) kind.targets.push_back("macos-x86_64");
    if (processor == 0x0100000c) kind.targets.push_back("macos-aarch64");
}

} // namespace

bool NativeKind::fits(const std::string& target) const {
    return std::ranges::find(targets, target) != targets.end();
}

NativeKind kind_of(const std::string& file) {
    NativeKind kind;
    std::array<std::uint8_t, 4096> head{};
    int descriptor = ::open(file.c_str(), O_RDONLY | O_CLOEXEC);
    if (descriptor < 0) return kind;
    ssize_t size = ::read(descriptor, head.data(), head.size());
    ::close(descriptor);
    if (size < 20) return kind;
    ByteSpan bytes(head.data(), static_cast<std::size_t>(size));
    if (looks_like_elf(bytes)) {
        kind.is_native = true;
        bool big = bytes[5] == 2, wide = bytes[4] == 2;
        std::uint32_t machine = number_at(bytes, 18, 2, big);
        if (wide && !big && machine == 62) kind.targets = {"linux-x86_64"};
        if (wide && !big && machine == 183) kind.targets = {"linux-aarch64"};
    } else if (looks_like_pe(bytes)) {
        kind.is_native = true;
        if (number_at(bytes, number_at(bytes, 0x3c, 4, false) + 4, 2, false) == 0x8664)
            kind.targets = {"windows-x86_64"};
    } else if (looks_like_mach_o(bytes)) {
        kind.is_native = true;
        std::uint32_t magic = number_at(bytes, 0, 4, true);
        if (magic == 0xcffaedfe) add_mach(kind, number_at(bytes, 4, 4, false));
        if (magic == 0xcafebabe)
            for (std::uint32_t i = 0; i < std::min(number_at(bytes, 4, 4, true), 16u); ++i)
                add_mach(kind, number_at(bytes, 8 + i * 20, 4, true));
    }
    return kind;
}

} // namespace omnistasis::native
