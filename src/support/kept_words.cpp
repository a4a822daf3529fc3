#include "support/kept_words.h"

#include "support/file_hash.h"
#include "support/own_program.h"
#include "support/stored_form.h"
#include "support/witness.h"

namespace omnistasis {

namespace {

template <typename Archive, typename Words> void visit(Archive& archive, Words& words) {
    visit_list(archive, words, [](auto& into, auto& word) { into.value(word); });
}

} // namespace

std::vector<std::string> kept_words(const std::string& file, const std::string& kind, Store& store,
                                    const std::function<std::vector<std::string>(ByteSpan content)>& search) {
    bool settled = false;
    std::string key =
        Store::key_of("words " + kind + own_program_stamp() + ' ' + file_stamp(file, &settled) + '\0' + file);
    Witness::saw(file);
    if (auto kept = store.find(key)) {
        FormReader reader(*kept);
        std::vector<std::string> words;
        visit(reader, words);
        if (reader.complete()) return words;
    }
    auto content = MappedFile::open(file);
    if (!content) return {};
    std::vector<std::string> words = search(content->bytes());
    if (settled) {
        FormWriter writer;
        visit(writer, words);
        store.keep(key, std::move(writer.bytes));
    }
    return words;
}

} // namespace omnistasis
