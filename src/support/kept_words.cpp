#include "support/kept_words.h"

#include "support/kept_of_file.h"

namespace omnistasis {

std::vector<std::string> kept_words(const std::string& file, const std::string& kind, Store& store,
                                    const std::function<std::vector<std::string>(ByteSpan content)>& search) {
    auto words = kept_of_file(
        file, "words " + kind + own_program_stamp(), store, search, [](auto& archive, auto& found) {
            visit_list(archive, found, [](auto& into, auto& word) { into.value(word); });
        });
    return words ? std::move(*words) : std::vector<std::string>();
}

} // namespace omnistasis
