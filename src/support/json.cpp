#include "support/json.h"

#include <algorithm>

template class nlohmann::basic_json<nlohmann::ordered_map>;

namespace omnistasis {

tl::expected<Json, JsonFault> read_json(std::string_view text) {
    try {
        return Json::parse(text);
    } catch (const Json::parse_error& error) {
        JsonFault fault{error.what(), std::min(error.byte == 0 ? 0 : error.byte - 1, text.size())};
        // "[json.exception...] parse error at line 3, column 5: what": the place is told apart.
        if (std::size_t colon = fault.what.find(": "); colon != std::string::npos)
            fault.what.erase(0, colon + 2);
        return tl::make_unexpected(std::move(fault));
    }
}

Json parse_json(std::string_view text) { return Json::parse(text, nullptr, false); }

std::string json_line(const Json& json) { return json.dump(-1, ' ', false, Json::error_handler_t::replace); }

std::string json_ascii_line(const Json& json) {
    return json.dump(-1, ' ', true, Json::error_handler_t::replace);
}

std::string json_lines(const Json& json) {
    return json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace omnistasis
