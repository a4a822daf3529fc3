#include "runtimes/lua/conventions.h"

namespace omnistasis::lua {

const Conventions& conventions() {
    static const Conventions row{
        .language = "lua",
        .interpreters = {"lua", "luajit"},
    };
    return row;
}

} // namespace omnistasis::lua
