#include "self.h"

#include "sha256.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>

namespace omnistasis::launcher {

bool set(Failure& failure, int code, const char* what, const char* where, int error_number) {
    failure.exit_code = code;
    const char* space = where[0] != 0 ? " " : "";
    if (error_number != 0)
        snprintf(failure.text, sizeof failure.text, "%s%s%.400s: %s", what, space, where,
                 strerror(error_number));
    else
        snprintf(failure.text, sizeof failure.text, "%s%s%.400s", what, space, where);
    return false;
}

const uint8_t* map_self(const Self& self) {
    void* mapped = mmap(nullptr, self.size, PROT_READ, MAP_PRIVATE, self.descriptor, 0);
    return mapped == MAP_FAILED ? nullptr : static_cast<const uint8_t*>(mapped);
}

bool load_index(const Self& self, const uint8_t* mapped, payload::Index& index, Failure& failure) {
    using payload::ReadError;
    auto* raw = static_cast<uint8_t*>(malloc(self.trailer.index_raw + 1));
    if (raw == nullptr) return set(failure, exit_no_room, "there is not enough memory", "", 0);
    ReadError error = payload::unpack_index(
        {mapped + self.trailer.index_offset, static_cast<size_t>(self.trailer.index_stored)}, self.trailer,
        self.head, raw);
    if (error == ReadError::none)
        error = index.open({raw, static_cast<size_t>(self.trailer.index_raw)}, self.trailer,
                           self.head.tree_folder.size == 0);
    if (error == ReadError::none) {
        auto* room = static_cast<uint8_t*>(malloc(payload::tree_identity_size(self.head, index)));
        if (room == nullptr) return set(failure, exit_no_room, "there is not enough memory", "", 0);
        if (!payload::is_tree_id_right(self.head, index, room)) error = ReadError::damaged;
        free(room);
    }
    return error == ReadError::none || set(failure, exit_damaged, "can't start:", payload::text_of(error), 0);
}

bool is_rest_whole(const Self& self, const uint8_t* mapped) {
    uint8_t digest[32];
    if (self.head.launcher_hash.size != 0) {
        sha256(mapped, static_cast<size_t>(self.trailer.payload_offset), digest);
        if (memcmp(digest, self.head.launcher_hash.data, sizeof digest) != 0) return false;
    }
    if (self.head.parts.hash == nullptr) return true;
    sha256(mapped + self.head.parts.offset, static_cast<size_t>(self.head.parts.stored), digest);
    return memcmp(digest, self.head.parts.hash, sizeof digest) == 0;
}

} // namespace omnistasis::launcher
