#pragma once

#include "runtimes/python/facts.h"
#include "runtimes/recognised.h"
#include "runtimes/stock.h"

#include <filesystem>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The Pythons in a folder, for whatever system; none of them is run. Known are an installation copied from
/// Windows (`python.exe`, `python3XY.dll`, `Lib`, `DLLs`), a Linux tree of another processor, and
/// a relocatable tree of macOS (`bin/python3.X`, `lib/python3.X`).
std::vector<Recognised> recognise_runtimes(const std::filesystem::path& folder);

/// What the files of a stocked one say that an interpreter would be asked, without any packages; `here` is
/// what an interpreter of the same version on this machine said.
Result<Facts> facts_of_files(const StockedRuntime& runtime, const Facts& here);

/// "3.11" of "3.11.9".
std::string minor_version(const std::string& version);

} // namespace omnistasis::python
