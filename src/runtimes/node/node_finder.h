#pragma once

#include "project/project.h"
#include "runtimes/node/node_runtime.h"
#include "runtimes/recognised.h"

namespace omnistasis::node {

/// The runtime for a project's (first) target: the one that the project names, the one on PATH where the
/// target is this machine's, else one that was added. An error says which one lacks.
Result<Facts> find_node(const Project& project, Store& store);

/// The programs of Node.js below a folder.
std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder);

/// What builds for a target get, in words.
Result<std::string> usual_runtime(const std::string& target);

} // namespace omnistasis::node
