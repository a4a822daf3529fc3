#pragma once

#include "support/own_program.h"
#include "support/store.h"
#include "support/stored_form.h"
#include "support/witness.h"

#include <optional>
#include <string>

namespace omnistasis {

/// What is made of a file's content: made once, and kept in the store for as long as the file's times, size
/// and number are the same; then the file is not even opened. `work` says what is made, and all else that it
/// depends on. `make` gives a value of the content, and `visit` visits its fields (support/stored_form.h).
/// Nothing where the file can't be read.
template <typename Make, typename Visit>
auto kept_of_file(const std::string& file, const std::string& work, Store& store, Make make, Visit visit)
    -> std::optional<decltype(make(ByteSpan()))> {
    Witness::saw(file);
    bool settled = false;
    std::string key = Store::key_of(work + '\0' + file_stamp(file, &settled) + ' ' + file);
    if (auto kept = store.find(key)) {
        FormReader reader(*kept);
        decltype(make(ByteSpan())) value{};
        visit(reader, value);
        if (reader.complete()) return value;
    }
    auto content = MappedFile::open(file, false); // noted already
    if (!content) return std::nullopt;
    auto value = make(content->bytes());
    if (settled) {
        FormWriter writer;
        visit(writer, value);
        store.keep(key, std::move(writer.bytes));
    }
    return value;
}

} // namespace omnistasis
