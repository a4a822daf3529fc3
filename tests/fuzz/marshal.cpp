#include "runtimes/python/marshal.h"

#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::string once = omnistasis::python::canonical_marshal({reinterpret_cast<const char*>(data), size});
    // What came out is canonical already.
    if (!once.empty() && omnistasis::python::canonical_marshal(once) != once) std::abort();
    return 0;
}
