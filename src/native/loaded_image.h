#pragma once

#include "support/byte_view.h"

#include <cstdint>
#include <optional>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace omnistasis::native {

/// A native file as its loader puts it into memory, for following pointers from its named data: PE, ELF and
/// thin Mach-O of 64 bits, little-endian ("PE Format"; System V ABI, "Dynamic Linking"; <mach-o/loader.h>,
/// <mach-o/fixup-chains.h>). Addresses count from where it is loaded. The bytes may be anything, and are to
/// stay as long as this does.
class LoadedImage {
  public:
    /// Nothing where the bytes are no such file.
    static std::optional<LoadedImage> of(ByteSpan bytes);

    /// The address of exported data.
    std::optional<std::uint64_t> symbol(std::string_view name) const;

    /// The pointer that lies at an address once the loader is done; 0 where there is none.
    std::uint64_t pointer_at(std::uint64_t address) const;

    /// The text, ended by a zero byte, at an address; empty where there is none.
    std::string_view text_at(std::uint64_t address) const;

  private:
    struct Part {
        std::uint64_t address = 0, size = 0, offset = 0;
    };

    explicit LoadedImage(ByteSpan bytes) : view_(bytes) {}
    bool read_pe();
    bool read_elf();
    bool read_mach_o();
    void read_mach_o_chains(std::uint64_t fixups);
    void read_mach_o_symbols(std::uint64_t command);
    void read_elf_symbols(std::uint64_t symbols, std::uint64_t texts);
    std::optional<std::uint64_t> offset_of(std::uint64_t address) const;

    ByteView view_;
    std::uint64_t base_ = 0; ///< what pointers in the file count from
    /// Of pointers in the file only these bits are the address; they may count from where it is loaded.
    std::uint64_t pointer_bits_ = ~0ull;
    bool counts_from_start_ = false;
    std::vector<Part> parts_;
    std::unordered_map<std::string_view, std::uint64_t> symbols_;
    std::unordered_map<std::uint64_t, std::uint64_t>
        relocated_; ///< address to pointer, where the file has none
};

} // namespace omnistasis::native
