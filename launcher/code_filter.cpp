#include "code_filter.h"

#include <string.h>

namespace omnistasis::payload {

namespace {

constexpr size_t instruction_size = 5;
constexpr uint32_t distance_bits = 0x1FFFFFF; ///< 24 and a sign

/// Whether one of eight bytes may be E8 or E9. Code has one in about seven of such groups.
bool may_hold_call(const uint8_t* bytes) {
    uint64_t group;
    memcpy(&group, bytes, sizeof group);
    // The bytes that are E8 or E9 become zero, and a zero byte borrows from its highest bit.
    group = (group & 0xFEFEFEFEFEFEFEFE) ^ 0xE8E8E8E8E8E8E8E8;
    return ((group - 0x0101010101010101) & ~group & 0x8080808080808080) != 0;
}

uint32_t sign_extended(uint32_t number) {
    number &= distance_bits;
    return (number & 0x1000000) != 0 ? number | 0xFE000000 : number;
}

/// Adds `direction` times the position behind each call or jump to its distance, where that is below 16 MiB.
void shift_targets(uint8_t* bytes, size_t size, uint32_t direction) {
    size_t i = 0;
    while (i + instruction_size <= size) {
        if (i + 8 <= size && !may_hold_call(bytes + i)) {
            i += 8;
            continue;
        }
        if ((bytes[i] & 0xFE) != 0xE8) {
            ++i;
            continue;
        }
        if (bytes[i + 4] != 0 && bytes[i + 4] != 0xFF) {
            i += 4; // that byte has to stay as it is: it says on the way back, too, that this is no call
            continue;
        }
        uint32_t number = uint32_t(bytes[i + 1]) | uint32_t(bytes[i + 2]) << 8 |
                          uint32_t(bytes[i + 3]) << 16 | uint32_t(bytes[i + 4]) << 24;
        i += instruction_size;
        number = sign_extended(number + direction * static_cast<uint32_t>(i));
        for (size_t k = 0; k < 4; ++k) bytes[i - 4 + k] = static_cast<uint8_t>(number >> (8 * k));
    }
}

} // namespace

void distances_to_positions(uint8_t* bytes, size_t size) { shift_targets(bytes, size, 1); }

void positions_to_distances(uint8_t* bytes, size_t size) { shift_targets(bytes, size, 0u - 1u); }

} // namespace omnistasis::payload
