#pragma once

#include "runtimes/conventions.h"

namespace omnistasis::lua {

const Conventions& conventions();

} // namespace omnistasis::lua
