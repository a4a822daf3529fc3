#pragma once

#include "runtimes/conventions.h"

namespace omnistasis::python {

const Conventions& conventions();

} // namespace omnistasis::python
