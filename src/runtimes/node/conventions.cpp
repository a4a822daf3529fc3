#include "runtimes/node/conventions.h"

namespace omnistasis::node {

const Conventions& conventions() {
    static const Conventions row{
        .language = "node",
        .project_files = {"package.json"},
        .passed_folders = {"node_modules", "__tests__", "coverage"},
        .passed_files = {"package-lock.json", "yarn.lock", "pnpm-lock.yaml"},
        .interpreters = {"node"},
        .credential_files = {".npmrc"},
        .package_folders = {"node_modules"},
    };
    return row;
}

} // namespace omnistasis::node
