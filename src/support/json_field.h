#pragma once

#include "support/json.h"

#include <string>
#include <type_traits>

namespace omnistasis {

/// A field of a JSON file that somebody else may have changed: `otherwise` where it is not there, or is of
/// another kind, or where there is no object at all.
template <typename Json, typename T> T field_or(const Json& object, const char* key, T otherwise) {
    if (!object.is_object()) return otherwise;
    auto found = object.find(key);
    if (found == object.end()) return otherwise;
    bool fits = false;
    if constexpr (std::is_same_v<T, bool>)
        fits = found->is_boolean();
    else if constexpr (std::is_integral_v<T>)
        fits = found->is_number_integer();
    else if constexpr (std::is_arithmetic_v<T>)
        fits = found->is_number();
    else if constexpr (std::is_same_v<T, std::string>)
        fits = found->is_string();
    else
        fits = found->type() == otherwise.type();
    return fits ? found->template get<T>() : otherwise;
}

template <typename Json> std::string field_or(const Json& object, const char* key, const char* otherwise) {
    return field_or(object, key, std::string(otherwise));
}

} // namespace omnistasis
