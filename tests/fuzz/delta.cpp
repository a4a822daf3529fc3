// Deltas and lists of parts come from elsewhere. A delta's hash is set right: whoever writes one can do that
// too.
#include "payload/delta_file.h"
#include "payload/parts.h"
#include "support/hash.h"

#include <cstdint>
#include <cstring>
#include <zstd.h>

using namespace omnistasis;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    (void)payload::parse_parts({reinterpret_cast<const char*>(data), size});
    static const std::string empty = payload::DeltaFile().text();
    std::string delta = empty;
    // A description with the input as its text.
    std::string description(ZSTD_compressBound(size), '\0');
    description.resize(ZSTD_compress(description.data(), description.size(), data, size, 1));
    delta.resize(8);
    for (std::size_t number : {description.size(), size})
        for (int i = 0; i < 8; ++i) delta += static_cast<char>(number >> (8 * i));
    Sha256 hash = sha256(description);
    delta.append(reinterpret_cast<const char*>(hash.data()), hash.size());
    delta += description;
    (void)payload::DeltaFile::read(as_bytes(delta), "fuzz.delta");
    (void)payload::DeltaFile::read({data, size}, "fuzz.delta");
    std::string raw;
    (void)payload::unpack_piece({data, size}, {}, 64, raw);
    return 0;
}
