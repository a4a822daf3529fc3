#include "trace/graph.h"

#include <filesystem>

namespace omnistasis::trace {

std::string_view kind_name(UnitKind kind) {
    switch (kind) {
    case UnitKind::code:
        return "code";
    case UnitKind::extension:
        return "extension";
    case UnitKind::native:
        return "native";
    case UnitKind::program:
        return "program";
    case UnitKind::data:
        return "data";
    case UnitKind::folder:
        return "folder";
    case UnitKind::built_in:
        return "built-in";
    case UnitKind::script:
        return "script";
    }
    return "data";
}

bool is_native(UnitKind kind) {
    return kind == UnitKind::extension || kind == UnitKind::native || kind == UnitKind::program;
}

bool is_module(UnitKind kind) {
    return kind != UnitKind::data && kind != UnitKind::native && kind != UnitKind::program;
}

std::uint64_t size_of(const Unit& unit) {
    if (unit.member) return unit.member->size;
    std::error_code failed;
    std::uint64_t size = unit.file.empty() ? 0 : std::filesystem::file_size(unit.file, failed);
    return failed ? 0 : size;
}

} // namespace omnistasis::trace
