#define TOML_IMPLEMENTATION
#include "support/toml.h"

namespace omnistasis {

namespace {

/// A reader of strings and comments, as far as to know what is in them.
class Outside {
  public:
    explicit Outside(std::string text) : text_(std::move(text)) {}

    /// The text with a question mark, which no key or value may have, for each byte of a sign beyond ASCII
    /// outside of strings and comments.
    std::string ascii() {
        while (at_ < text_.size()) {
            char c = text_[at_];
            if (c == '#')
                at_ = std::min(text_.find('\n', at_), text_.size());
            else if (c == '"' || c == '\'')
                skip_string(c);
            else if (static_cast<unsigned char>(c) >= 0x80)
                text_[at_++] = '?';
            else
                ++at_;
        }
        return std::move(text_);
    }

  private:
    bool is_at(std::string_view word) const { return std::string_view(text_).substr(at_).starts_with(word); }

    /// With escapes in `"`, over several lines between three; what is not ended on its line is wrong, and
    /// ends there.
    void skip_string(char quote) {
        std::string three(3, quote);
        bool is_long = is_at(three);
        at_ += is_long ? 3 : 1;
        while (at_ < text_.size()) {
            if (quote == '"' && text_[at_] == '\\') {
                at_ += 2;
            } else if (is_long ? is_at(three) : text_[at_] == quote) {
                at_ += is_long ? 3 : 1;
                return;
            } else if (!is_long && text_[at_] == '\n') {
                return;
            } else {
                ++at_;
            }
        }
    }

    std::string text_;
    std::size_t at_ = 0;
};

} // namespace

toml::parse_result parse_toml(std::string_view text, const std::string& file) {
    // A mark of the encoding in front is no sign.
    constexpr std::string_view mark = "\xEF\xBB\xBF";
    if (text.starts_with(mark)) text.remove_prefix(mark.size());
    return toml::parse(Outside(std::string(text)).ascii(), file);
}

} // namespace omnistasis
