#include "trace/graph.h"

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

} // namespace omnistasis::trace
