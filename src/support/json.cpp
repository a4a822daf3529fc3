#include "support/json.h"

#include <algorithm>
#include <optional>

template class nlohmann::basic_json<nlohmann::ordered_map>;

namespace omnistasis {

namespace {

constexpr int deepest =
    500; ///< lists and objects in each other; of a text of brackets each byte would cost hundreds

/// Where a text goes deeper; nothing where it does not.
std::optional<std::size_t> too_deep(std::string_view text) {
    int depth = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        char c = text[i];
        if (c == '"') {
            for (++i; i < text.size() && text[i] != '"'; ++i)
                if (text[i] == '\\') ++i;
        } else if (c == '[' || c == '{') {
            if (++depth > deepest) return i;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return std::nullopt;
}

} // namespace

tl::expected<Json, JsonFault> read_json(std::string_view text) {
    if (auto place = too_deep(text))
        return tl::make_unexpected(JsonFault{"lists and objects are too deep in each other", *place});
    try {
        return Json::parse(text);
    } catch (const Json::parse_error& error) {
        JsonFault fault{error.what(), std::min(error.byte == 0 ? 0 : error.byte - 1, text.size())};
        // "[json.exception...] parse error at line 3, column 5: what": the place is told apart.
        if (std::size_t colon = fault.what.find(": "); colon != std::string::npos)
            fault.what.erase(0, colon + 2);
        return tl::make_unexpected(std::move(fault));
    } catch (const Json::exception&) {
        return tl::make_unexpected(JsonFault{"a number in it is larger than any", 0});
    }
}

Json parse_json(std::string_view text) {
    return too_deep(text) ? Json(Json::value_t::discarded) : Json::parse(text, nullptr, false);
}

std::string json_line(const Json& json) { return json.dump(-1, ' ', false, Json::error_handler_t::replace); }

std::string json_ascii_line(const Json& json) {
    return json.dump(-1, ' ', true, Json::error_handler_t::replace);
}

std::string json_lines(const Json& json) {
    return json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace omnistasis
