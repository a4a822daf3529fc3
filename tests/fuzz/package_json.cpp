// The package.json of any package.
#include "runtimes/node/package_json.h"

#include "in_file.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    (void)omnistasis::node::read_package_json(in_file(data, size));
    return 0;
}
