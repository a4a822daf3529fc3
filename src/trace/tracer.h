#pragma once

#include "native/host_libraries.h"
#include "project/assets.h"
#include "support/store.h"
#include "trace/graph.h"
#include "trace/runtime.h"

namespace omnistasis::trace {

/// Two units are the same when this is: modules by name, files by where they go and come from. Of two that go
/// to one place, one may yet be left out.
std::string identity(const Unit& unit);

/// Follows everything that the runtime's roots ask for, on `jobs` threads, then the native libraries of what
/// was found by the dynamic loader's rules. Host libraries are not followed. `assets` are needed because the
/// project says so.
Result<Graph> trace(Runtime& runtime, const std::vector<AssetFile>& assets, const native::HostLibraries& host,
                    Store& store, unsigned jobs, Observer& observer);

} // namespace omnistasis::trace
