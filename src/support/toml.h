// The TOML parser without exceptions: errors are values here. It is compiled once, in toml.cpp.
#pragma once

#define TOML_HEADER_ONLY 0
#define TOML_EXCEPTIONS 0
#include <toml++/toml.h>
