// The TOML parser, header-only and without exceptions: errors are values here.
#pragma once

#define TOML_HEADER_ONLY 1
#define TOML_EXCEPTIONS 0
#include <toml++/toml.h>
