// The parts behind a hash are reached with the hashes set right: whoever writes a file can do that too.
#include "payload_reader.h"
#include "sha256.h"

#include <cstdint>
#include <cstring>
#include <vector>

using namespace omnistasis;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size < payload::trailer_size) return 0;
    std::vector<std::uint8_t> file(data, data + size);
    std::uint8_t* trailer_bytes = file.data() + size - payload::trailer_size;
    std::memcpy(trailer_bytes, payload::trailer_magic, sizeof payload::trailer_magic);
    std::uint8_t digest[32];
    launcher::sha256(trailer_bytes, payload::trailer_own_hash, digest);
    std::memcpy(trailer_bytes + payload::trailer_own_hash, digest, 8);
    payload::Trailer trailer;
    if (payload::read_trailer(trailer_bytes, size, trailer) != payload::ReadError::none) return 0;
    launcher::sha256(file.data() + trailer.head_offset, trailer.head_size, trailer.head_hash);
    payload::Head head;
    (void)payload::read_head({file.data() + trailer.head_offset, static_cast<std::size_t>(trailer.head_size)},
                             trailer, head);
    payload::Index index;
    payload::Bytes raw{file.data() + trailer.index_offset, static_cast<std::size_t>(trailer.index_stored)};
    if (index.open(raw, trailer, data[0] % 2 == 0) != payload::ReadError::none) return 0;
    for (std::uint32_t i = 0; i < index.block_count() && i < 4; ++i) {
        payload::Block block = index.block(i);
        launcher::sha256(file.data() + block.offset, block.stored_size, digest);
        block.hash = digest;
        std::vector<std::uint8_t> out(block.raw_size);
        (void)payload::unpack_block(file.data() + block.offset, block, out.data(), nullptr);
    }
    return 0;
}
