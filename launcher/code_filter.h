#pragma once

#include <stddef.h>
#include <stdint.h>

namespace omnistasis::payload {

// Machine code of x86-64 compresses better when the instructions CALL and JMP (opcodes E8 and E9; Intel 64
// Architectures Software Developer's Manual, volume 2) name their target by its position instead of by its
// distance: all calls of one function are then the same four bytes. docs/payload-format.md specifies the
// exact form. Data that looks like such instructions is turned back as exactly.

/// Replaces the distances in `bytes` by positions, counted from the start of `bytes`.
void distances_to_positions(uint8_t* bytes, size_t size);

/// Undoes it.
void positions_to_distances(uint8_t* bytes, size_t size);

} // namespace omnistasis::payload
