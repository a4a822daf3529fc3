#include "runtimes/lua/conventions.h"

namespace omnistasis::lua {

const Conventions& conventions() {
    static const Conventions row{
        .language = "lua",
        .project_files = {},
        .passed_folders = {},
        .environment_marks = {},
        .passed_folder_endings = {},
        .passed_files = {},
        .passed_file_starts = {},
        .passed_file_endings = {},
        .test_files = {},
        .cache_folders = {},
        .compiled_endings = {},
        .module_stores = {},
        .interpreters = {"lua", "luajit"},
        .credential_files = {},
        .shared_folders = {},
        .package_folders = {},
    };
    return row;
}

} // namespace omnistasis::lua
