// Strings that compiled modules pack: constants of any file.
#include "runtimes/python/cython_strings.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace omnistasis;
    // With the marks in front, whatever follows is searched in both ways.
    static const std::string marks = "LZSS string data '.decompress' - cannot ";
    python::cython_strings({as_bytes(marks), ByteSpan(data, size)});
    std::string whole = python::unpack_lzss(ByteSpan(data, size), 1u << 20);
    return static_cast<int>(whole.size() > (1u << 20) + 65536);
}
