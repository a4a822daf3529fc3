// Lua sources, and the tables of LuaRocks: any bytes.
#include "runtimes/lua/rocks.h"
#include "runtimes/lua/scanner.h"

#include <cstddef>
#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    std::string_view source{reinterpret_cast<const char*>(data), size};
    omnistasis::lua::scan(source, "tide.table");
    omnistasis::lua::fields_of_tables(source);
    return 0;
}
