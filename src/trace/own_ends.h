#pragma once

#include "project/own_files.h"
#include "trace/graph.h"

#include <vector>

namespace omnistasis::trace {

/// What is to be told of an application's own files that do not go along; nothing where all of them do.
std::vector<LooseEnd> loose_ends_of(const OwnFiles& own);

} // namespace omnistasis::trace
