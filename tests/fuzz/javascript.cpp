// JavaScript sources: any bytes.
#include "runtimes/node/scanner.h"

#include <cstddef>
#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::node::scan({reinterpret_cast<const char*>(data), size});
    return 0;
}
