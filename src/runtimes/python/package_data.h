#pragma once

#include "runtimes/python/module_finder.h"
#include "runtimes/python/places.h"
#include "runtimes/python/scanner.h"
#include "trace/runtime.h"

#include <string>
#include <vector>

namespace omnistasis::python {

/// The files below `folder` that code may read: not source, bytecode, headers, stubs, build files, tests or
/// version-control leftovers. Paths are relative to the folder. `build_files`: also folders named `include`
/// and the like, which in packages serve to build others; `without` are patterns of more to leave out.
std::vector<std::string> readable_files(const std::string& folder, bool build_files,
                                        const std::vector<std::string>& without = {});

/// All files of a folder, with the folders in it, besides what fits one of the patterns.
std::vector<std::string> all_files(const std::string& folder, const std::vector<std::string>& without);

/// Data units for the files in `folder` (found below `root`).
std::vector<trace::Unit> data_units(const std::string& folder, const std::string& root, const Places& places);

/// The same for all files but Python's own, hidden ones and those in hidden folders too.
std::vector<trace::Unit> all_data_units(const std::string& folder, const std::string& root,
                                        const Places& places);

/// Data units for the string constants in a source file that name files or folders next to it, or next to a
/// folder above it up to the project's.
std::vector<std::pair<trace::Unit, std::uint32_t>> named_data(const ScanResult& scan,
                                                              const std::string& source_file,
                                                              const std::string& root, const Project& project,
                                                              const Places& places, ModuleFinder& finder);

} // namespace omnistasis::python
