#include "runtimes/python/scanner.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    omnistasis::python::WatchedNames watched;
    watched.add("strptime");
    omnistasis::python::ScanFacts facts;
    facts.watched = &watched;
    omnistasis::python::scan({reinterpret_cast<const char*>(data), size}, "own.mod", "own", facts);
    return 0;
}
