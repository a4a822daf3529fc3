#define TOML_IMPLEMENTATION
#include "support/toml.h"
