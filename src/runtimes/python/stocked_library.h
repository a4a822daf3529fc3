#pragma once

#include "runtimes/python/facts.h"
#include "runtimes/stock.h"

#include <filesystem>
#include <string>

namespace omnistasis::python {

/// What an interpreter of a version ("3.11") says that is on this machine: it compiles for others of that
/// version. Where there is none, what the project's own says that holds for others, too.
Facts facts_of_version(const std::string& minor, const Facts& own, const std::filesystem::path& helpers);

/// What brings an interpreter of the version of `facts` to this machine.
std::string how_to_get_compiler(const Facts& facts);

/// Where the bytecode of a stocked runtime's library lies, as its files lie in that library.
std::filesystem::path bytecode_folder_of(const StockedRuntime& runtime);

/// Compiles the library of a runtime for another system, which builds take then; on this machine the
/// interpreter keeps it itself. Nothing is done where no interpreter of that version is here.
Result<void> compile_library(const StockedRuntime& runtime, const Facts& own,
                             const std::filesystem::path& helpers);

/// Writes a program into a folder that imports what applications use of a runtime's library, and returns its
/// file: a trace of it reads all of that. Empty where the library has no sources.
Result<std::string> write_library_program(const StockedRuntime& runtime, const std::filesystem::path& folder);

} // namespace omnistasis::python
