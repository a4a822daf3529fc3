#pragma once

#include "runtimes/python/facts.h"
#include "runtimes/recognised.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The Pythons in a folder, for whatever system; none of them is run. Known are an installation copied from
/// Windows (`python.exe`, `python3XY.dll`, `Lib`, `DLLs`), and a Linux tree of another processor
/// (`bin/python3.X`, `lib/python3.X`).
std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder);

/// What the files of one say that an interpreter would be asked. `packages` is the folder of the packages for
/// it, empty where there are none; `here` is what an interpreter of the same version on this machine said.
Result<Facts> facts_of_files(const std::filesystem::path& folder, const Recognised& runtime,
                             const std::string& packages, const Facts& here);

/// Where packages for a target go, in the app tree and in an environment.
std::string site_packages_place(const std::string& target, int minor);

/// "3.11" of "3.11.9".
std::string minor_version(const std::string& version);

} // namespace omnistasis::python
