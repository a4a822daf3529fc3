// JSON (RFC 8259), read and written in one place: a file that includes this does not compile the parser
// again.
#pragma once

#include <nlohmann/json.hpp>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

extern template class nlohmann::basic_json<nlohmann::ordered_map>;

namespace omnistasis {

/// Objects keep the order in which their members came.
using Json = nlohmann::ordered_json;

/// Why a text is no JSON.
struct JsonFault {
    std::string what;     ///< what was expected
    std::size_t byte = 0; ///< offset of the first that does not fit
};
tl::expected<Json, JsonFault> read_json(std::string_view text);

/// The same where the reason does not matter: a text that is no JSON gives a value that is no object, no list
/// and no string (`is_discarded()`).
Json parse_json(std::string_view text);

/// On one line. Bytes that are no UTF-8 become U+FFFD, here and below.
std::string json_line(const Json& json);

/// The same in ASCII: everything else is escaped.
std::string json_ascii_line(const Json& json);

/// For files that people look at: indented by one blank a level, with a line break at the end.
std::string json_lines(const Json& json);

} // namespace omnistasis
