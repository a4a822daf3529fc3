#include "runtimes/node/conventions.h"

namespace omnistasis::node {

const Conventions& conventions() {
    static const Conventions row{
        .language = "node",
        .project_files = {"package.json"},
        .passed_folders = {"node_modules", "__tests__", "coverage"},
        .environment_marks = {},
        .passed_folder_endings = {},
        .passed_files = {"package-lock.json", "yarn.lock", "pnpm-lock.yaml"},
        .passed_file_starts = {},
        .passed_file_endings = {},
        .test_files = {},
        .cache_folders = {},
        .compiled_endings = {},
        .module_stores = {},
        .interpreters = {"node"},
        .credential_files = {".npmrc"},
        .shared_folders = {},
        .package_folders = {"node_modules"},
        .lore_folder = "node",
    };
    return row;
}

} // namespace omnistasis::node
