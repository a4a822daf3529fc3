// Requirements and their conditions, as metadata has them.
#include "runtimes/python/requirement.h"

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace omnistasis::python;
    std::string_view text(reinterpret_cast<const char*>(data), size);
    static const MarkerVariables variables = marker_variables(3, 11, 2, "linux", "x86_64");
    if (auto requirement = read_requirement(text))
        marker_holds(requirement->marker, variables, requirement->extras);
    marker_holds(text, variables, {"all"});
    return 0;
}
