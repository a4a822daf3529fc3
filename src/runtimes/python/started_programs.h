#pragma once

#include "runtimes/python/constants.h"

#include <span>
#include <string>
#include <vector>

namespace omnistasis::python {

/// The programs that a call starts by a name that is looked for on PATH: subprocess.run(["ffmpeg", ...]),
/// os.system("git status"), shutil.which("dot"). Names with a folder, and those that every system has, are
/// left out.
std::vector<std::string> started_programs(const Constants& constants, std::string_view function,
                                          const std::vector<std::span<const Token>>& arguments);

} // namespace omnistasis::python
