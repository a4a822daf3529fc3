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
    ByteView view(bytes), big_endian(bytes, false);
    if (looks_like_elf(bytes)) {
        kind.is_native = true;
        bool big = bytes[5] == 2, wide = bytes[4] == 2;
        std::uint32_t machine = (big ? big_endian : view).half(18);
        if (wide && !big && machine == 62) kind.targets = {"linux-x86_64"};
        if (wide && !big && machine == 183) kind.targets = {"linux-aarch64"};
    } else if (looks_like_pe(bytes)) {
        kind.is_native = true;
        if (view.half(view.word(0x3c) + 4) == 0x8664) kind.targets = {"windows-x86_64"};
    } else if (looks_like_mach_o(bytes)) {
        kind.is_native = true;
        std::uint32_t magic = big_endian.word(0);
        if (magic == 0xcffaedfe) add_mach(kind, view.word(4));
        if (magic == 0xcafebabe)
            for (std::uint32_t i = 0; i < std::min(big_endian.word(4), 16u); ++i)
                add_mach(kind, big_endian.word(8 + i * 20));
    }
    return kind;
}

} // namespace omnistasis::native
