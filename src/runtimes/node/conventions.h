#pragma once

#include "runtimes/conventions.h"

namespace omnistasis::node {

const Conventions& conventions();

} // namespace omnistasis::node
