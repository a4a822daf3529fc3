#include "runtimes/conventions.h"

#include "runtimes/lua/conventions.h"
#include "runtimes/node/conventions.h"
#include "runtimes/python/conventions.h"
#include "support/pattern.h"

#include <algorithm>
#include <array>
#include <string>

namespace omnistasis {

namespace {

template <typename Test> bool any(Names Conventions::*list, Test test) {
    return std::ranges::any_of(conventions(),
                               [&](const Conventions* one) { return std::ranges::any_of(one->*list, test); });
}

} // namespace

std::span<const Conventions* const> conventions() {
    static const std::array<const Conventions*, 3> rows{&python::conventions(), &node::conventions(),
                                                        &lua::conventions()};
    return rows;
}

bool any_names(Names Conventions::*list, std::string_view name) {
    return any(list, [&](std::string_view one) { return one == name; });
}
bool any_starts(Names Conventions::*list, std::string_view name) {
    return any(list, [&](std::string_view one) { return name.starts_with(one); });
}
bool any_ends(Names Conventions::*list, std::string_view name) {
    return any(list, [&](std::string_view one) { return name.ends_with(one); });
}
bool any_fits(Names Conventions::*list, std::string_view name) {
    return any(list, [&](std::string_view one) { return fits_pattern(std::string(name), std::string(one)); });
}

} // namespace omnistasis
