// The resources of a program of somebody else's, which gets others.
#include "dress/pe_resources.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace omnistasis::dress;
    PeDress dress;
    dress.texts.push_back({0x0409, {{"ProductName", "Tideboard"}}});
    dress.settings.push_back({"activeCodePage", "2019", "UTF-8"});
    std::string program(reinterpret_cast<const char*>(data), size);
    with_other_resources(program, dress);
    manifest_with(program, dress.settings);
    return 0;
}
