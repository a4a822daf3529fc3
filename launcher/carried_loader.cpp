#include "carried_loader.h"

#include <elf.h>
#include <errno.h>
#include <fcntl.h>
#include <stdint.h>
#include <string.h>
#include <sys/auxv.h>
#include <sys/mman.h>
#include <unistd.h>

extern char** environ;

namespace omnistasis::launcher {

namespace {

#if defined(__x86_64__)
constexpr uint16_t own_machine = EM_X86_64;
#elif defined(__aarch64__)
constexpr uint16_t own_machine = EM_AARCH64;
#endif
constexpr size_t most_segments = 32;
constexpr uint64_t largest_loader = 64u << 20;

struct Image {
    uintptr_t entry = 0;
    uintptr_t headers = 0; ///< the program headers, in memory
    size_t header_count = 0;
};

int protection(uint32_t flags) {
    return ((flags & PF_R) != 0 ? PROT_READ : 0) | ((flags & PF_W) != 0 ? PROT_WRITE : 0) |
           ((flags & PF_X) != 0 ? PROT_EXEC : 0);
}

/// Maps one segment; what lies behind its file part is zero.
bool map_segment(int file, const Elf64_Phdr& segment, uintptr_t base, uintptr_t page) {
    uintptr_t start = (base + segment.p_vaddr) & ~(page - 1);
    uintptr_t shift = (base + segment.p_vaddr) - start;
    uintptr_t in_file = start + shift + segment.p_filesz;
    uintptr_t end = (start + shift + segment.p_memsz + page - 1) & ~(page - 1);
    uintptr_t mapped_end = segment.p_filesz == 0 ? start : (in_file + page - 1) & ~(page - 1);
    if (mapped_end > start &&
        mmap(reinterpret_cast<void*>(start), mapped_end - start, protection(segment.p_flags),
             MAP_PRIVATE | MAP_FIXED, file, static_cast<off_t>(segment.p_offset - shift)) == MAP_FAILED)
        return false;
    if (segment.p_memsz > segment.p_filesz && (segment.p_flags & PF_W) != 0 && mapped_end > in_file)
        memset(reinterpret_cast<void*>(in_file), 0, mapped_end - in_file);
    return end <= mapped_end ||
           mmap(reinterpret_cast<void*>(mapped_end), end - mapped_end, protection(segment.p_flags),
                MAP_PRIVATE | MAP_FIXED | MAP_ANONYMOUS, -1, 0) != MAP_FAILED;
}

bool map_loader(int file, Image& image) {
    Elf64_Ehdr header;
    Elf64_Phdr segments[most_segments];
    errno = ENOEXEC;
    if (read(file, &header, sizeof header) != static_cast<ssize_t>(sizeof header) ||
        memcmp(header.e_ident, ELFMAG, SELFMAG) != 0 || header.e_ident[EI_CLASS] != ELFCLASS64 ||
        header.e_type != ET_DYN || header.e_machine != own_machine ||
        header.e_phentsize != sizeof(Elf64_Phdr) || header.e_phnum > most_segments)
        return false;
    auto size = static_cast<ssize_t>(header.e_phnum * sizeof(Elf64_Phdr));
    if (pread(file, segments, static_cast<size_t>(size), static_cast<off_t>(header.e_phoff)) != size)
        return false;
    uint64_t end = 0;
    for (size_t i = 0; i < header.e_phnum; ++i) {
        if (segments[i].p_type != PT_LOAD) continue;
        if (segments[i].p_vaddr > largest_loader || segments[i].p_memsz > largest_loader ||
            segments[i].p_filesz > segments[i].p_memsz)
            return errno = ENOEXEC, false;
        if (segments[i].p_vaddr + segments[i].p_memsz > end) end = segments[i].p_vaddr + segments[i].p_memsz;
    }
    void* room = mmap(nullptr, end, PROT_NONE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (room == MAP_FAILED) return false;
    auto base = reinterpret_cast<uintptr_t>(room);
    auto page = static_cast<uintptr_t>(sysconf(_SC_PAGESIZE));
    for (size_t i = 0; i < header.e_phnum; ++i) {
        const Elf64_Phdr& segment = segments[i];
        if (segment.p_type != PT_LOAD) continue;
        if (!map_segment(file, segment, base, page)) return false;
        if (header.e_phoff >= segment.p_offset && header.e_phoff < segment.p_offset + segment.p_filesz)
            image.headers = base + segment.p_vaddr + (header.e_phoff - segment.p_offset);
    }
    image.entry = base + header.e_entry;
    image.header_count = header.e_phnum;
    return true;
}

/// Gives the loader the stack at `block`, and goes there.
[[noreturn]] void jump(uintptr_t entry, const uintptr_t* block) {
#if defined(__x86_64__)
    // No function to call at the end (rdx), and the outermost frame (rbp).
    asm volatile("mov %1, %%rsp\n\txor %%edx, %%edx\n\txor %%ebp, %%ebp\n\tjmp *%0"
                 :
                 : "a"(entry), "r"(block)
                 : "memory", "rdx");
#elif defined(__aarch64__)
    register uintptr_t at asm("x16") = entry;
    register const uintptr_t* stack asm("x17") = block;
    asm volatile("mov sp, %1\n\tmov x0, #0\n\tmov x29, #0\n\tmov x30, #0\n\tbr %0"
                 :
                 : "r"(at), "r"(stack)
                 : "memory");
#endif
    __builtin_unreachable();
}

} // namespace

void become_loader(const char* loader, char** arguments, const OpenFiles& to_close) {
    int file = open(loader, O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    Image image;
    bool mapped = map_loader(file, image);
    int reason = errno;
    close(file);
    if (!mapped) {
        errno = reason;
        return;
    }
    size_t argument_count = 0, variable_count = 0, auxiliary_count = 0;
    while (arguments[argument_count] != nullptr) ++argument_count;
    while (environ[variable_count] != nullptr) ++variable_count;
    // The kernel's auxiliary vector stands behind the environment.
    const auto* auxiliary = reinterpret_cast<const Elf64_auxv_t*>(environ + variable_count + 1);
    while (auxiliary[auxiliary_count++].a_type != AT_NULL) {
    }
    size_t words = 1 + argument_count + 1 + variable_count + 1 + 2 * auxiliary_count;
    auto* block =
        static_cast<uintptr_t*>(__builtin_alloca_with_align((words + words % 2) * sizeof(uintptr_t), 128));
    uintptr_t* at = block;
    *at++ = argument_count;
    for (size_t i = 0; i <= argument_count; ++i) *at++ = reinterpret_cast<uintptr_t>(arguments[i]);
    for (size_t i = 0; i <= variable_count; ++i) *at++ = reinterpret_cast<uintptr_t>(environ[i]);
    for (size_t i = 0; i < auxiliary_count; ++i) {
        uintptr_t value = auxiliary[i].a_un.a_val;
        switch (auxiliary[i].a_type) {
        case AT_PHDR:
            value = image.headers;
            break;
        case AT_PHNUM:
            value = image.header_count;
            break;
        case AT_ENTRY:
            value = image.entry;
            break;
        case AT_BASE:
            value = 0; // the loader itself is the program, as when it is started by its name
            break;
        case AT_EXECFN:
            value = reinterpret_cast<uintptr_t>(arguments[1]);
            break;
        default:
            break;
        }
        *at++ = auxiliary[i].a_type;
        *at++ = value;
    }
    // The kernel closes nothing here, as it does when a program is started.
    if (to_close.executable >= 0) close(to_close.executable);
    if (to_close.marker >= 0) close(to_close.marker);
    jump(image.entry, block);
}

} // namespace omnistasis::launcher
