#include "payload/launcher_slots.h"

#include "payload_format.h"

namespace omnistasis::payload {

namespace {

constexpr std::string_view of_key(key_mark, sizeof key_mark - 1);
constexpr std::string_view of_window(window_mark, sizeof window_mark - 1);

/// Where the bytes behind a mark begin; npos where the mark is not there just once, or too few bytes follow
/// it.
std::size_t find_slot(std::string_view launcher, std::string_view mark, std::size_t size) {
    std::size_t at = launcher.find(mark);
    bool is_slot = at != std::string_view::npos && launcher.find(mark, at + 1) == std::string_view::npos &&
                   launcher.size() - at - mark.size() >= size;
    return is_slot ? at + mark.size() : std::string_view::npos;
}

Result<std::string> filled(std::string launcher, std::string_view mark, const std::string& value) {
    std::size_t at = find_slot(launcher, mark, value.size());
    if (at == std::string::npos)
        return fail(ErrorKind::fault, "the launcher lacks a place that outputs need", std::string(mark), "",
                    "install Omnistasis anew");
    launcher.replace(at, value.size(), value);
    return launcher;
}

} // namespace

Result<std::string> with_public_key(std::string launcher, const std::string& key) {
    return filled(std::move(launcher), of_key, key);
}

Result<std::string> with_window_mode(std::string launcher) {
    return filled(std::move(launcher), of_window, std::string(1, '\1'));
}

std::string public_key_of(std::string_view launcher) {
    std::size_t at = find_slot(launcher, of_key, key_size);
    return at == std::string_view::npos ? std::string() : std::string(launcher.substr(at, key_size));
}

} // namespace omnistasis::payload
