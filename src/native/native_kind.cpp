#include "native/native_kind.h"

#include "native/elf_reader.h"
#include "native/mach_o_reader.h"
#include "native/pe_reader.h"
#include "support/byte_view.h"
#include "support/files.h"
#include "support/target_info.h"

#include <algorithm>
#include <array>
#include <fcntl.h>
#include <unistd.h>

namespace omnistasis::native {

namespace {

void add(NativeKind& kind, System system, std::uint32_t machine) {
    if (const TargetInfo* target = target_with(system, machine)) kind.targets.push_back(target->name);
}

} // namespace

bool NativeKind::fits(const std::string& target) const {
    return std::ranges::find(targets, target) != targets.end();
}

NativeKind kind_of(const std::string& file) {
    std::array<std::uint8_t, 4096> head{};
    int descriptor = ::open(file.c_str(), O_RDONLY | O_CLOEXEC);
    if (descriptor < 0) return {};
    ssize_t size = ::read(descriptor, head.data(), head.size());
    ::close(descriptor);
    return size < 0 ? NativeKind() : kind_of_bytes({head.data(), static_cast<std::size_t>(size)});
}

NativeKind kind_of_bytes(ByteSpan bytes) {
    NativeKind kind;
    constexpr std::size_t least = 20;
    if (bytes.size() < least) return kind;
    ByteView view(bytes), big_endian(bytes, false);
    if (looks_like_elf(bytes)) {
        kind.is_native = true;
        bool big = bytes[5] == 2, wide = bytes[4] == 2;
        if (wide && !big) add(kind, System::linux, view.half(18));
    } else if (looks_like_pe(bytes)) {
        kind.is_native = true;
        add(kind, System::windows, view.half(view.word(0x3c) + 4));
    } else if (looks_like_mach_o(bytes)) {
        kind.is_native = true;
        std::uint32_t magic = big_endian.word(0);
        if (magic == 0xcffaedfe) add(kind, System::macos, view.word(4));
        if (magic == 0xcafebabe)
            for (std::uint32_t i = 0; i < std::min(big_endian.word(4), 16u); ++i)
                add(kind, System::macos, big_endian.word(8 + i * 20));
    }
    return kind;
}

} // namespace omnistasis::native
