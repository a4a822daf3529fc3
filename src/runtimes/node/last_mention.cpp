#include "runtimes/node/last_mention.h"

#include "runtimes/node/lexer.h"

#include <array>
#include <cstdint>
#include <cstring>
#include <vector>

namespace omnistasis::node {

namespace {

struct Mention {
    std::string_view text;
    std::size_t rare; ///< of which the two pairs of letters from here on are looked for
    bool ends_word;   ///< the name must not go on
};

constexpr std::array mentions{
    Mention{"require", 1, true},   Mention{"Require", 1, true},    Mention{"import", 0, true},
    Mention{"export", 0, true},    Mention{".env", 1, true},       Mention{"eval", 0, true},
    Mention{"__dirname", 0, true}, Mention{"__filename", 0, true}, Mention{"Function", 0, true},
    Mention{"Worker", 1, true},    Mention{"fork", 1, true},       Mention{"'./", 0, false},
    Mention{"'..", 0, false},      Mention{"\"./", 0, false},      Mention{"\"..", 0, false},
    Mention{".wasm", 1, true},     Mention{".proto", 1, true},     Mention{"orker.js", 4, true},
};

/// For each pair of letters the mentions that it may stand in, and where in them.
class Pairs {
  public:
    Pairs() : of_pair_(65536, 0), places_(1) {
        for (const Mention& mention : mentions)
            for (std::size_t at : {mention.rare, mention.rare + 1}) {
                std::uint8_t& number = of_pair_[pair(mention.text.data() + at)];
                if (number == 0) {
                    number = static_cast<std::uint8_t>(places_.size());
                    places_.emplace_back();
                }
                places_[number].push_back({&mention, at});
            }
    }

    static std::uint16_t pair(const char* at) {
        std::uint16_t two = 0;
        std::memcpy(&two, at, 2);
        return two;
    }

    bool may_begin(const char* at) const { return of_pair_[pair(at)] != 0; }

    /// The end of the mention that the pair at `at` is in; 0 where it is in none.
    std::size_t end_of(std::string_view text, std::size_t at) const {
        std::size_t last = 0;
        for (const Place& place : places_[of_pair_[pair(text.data() + at)]]) {
            if (at < place.inside) continue;
            std::size_t end = at - place.inside + place.mention->text.size();
            bool fits = text.substr(at - place.inside).starts_with(place.mention->text) &&
                        !(place.mention->ends_word && end < text.size() && is_in_name(text[end]));
            if (fits && end > last) last = end;
        }
        return last;
    }

  private:
    struct Place {
        const Mention* mention;
        std::size_t inside;
    };
    std::vector<std::uint8_t> of_pair_;
    std::vector<std::vector<Place>> places_;
};

} // namespace

std::size_t end_of_last_mention(std::string_view text) {
    static const Pairs pairs;
    // Of the two pairs of each mention one is at an even distance from the end.
    for (std::size_t rest = text.size(); rest >= 2; rest -= 2)
        if (pairs.may_begin(text.data() + rest - 2))
            if (std::size_t end = pairs.end_of(text, rest - 2); end != 0) return end;
    return 0;
}

} // namespace omnistasis::node
