#pragma once

// What the head says of the start (docs/payload-format.md, tags 3, 14 and 15): texts in which `{tree}` stands
// for the app tree's absolute path and `{self}` for the launcher's name as it was called, anywhere and as
// often as they occur; and variables for the program. One that the user has set too is kept for the programs
// that the application starts: it gets the name `OMNISTASIS_KEPT_NAME`.

#include "payload_reader.h"

#include <stddef.h>
#include <stdint.h>
#include <string.h>

namespace omnistasis::launcher {

constexpr char kept_prefix[] = "OMNISTASIS_KEPT_";

/// A stretch of such a text.
struct StartPiece {
    enum class Kind : uint8_t { end, plain, tree, self };
    Kind kind = Kind::end;
    const char* text = nullptr; ///< of a plain one, without a zero byte behind it
    size_t size = 0;
};

/// The stretch that begins at `at`, which moves behind it.
inline StartPiece next_piece(const char*& at) {
    auto is_at = [](const char* text, const char* word) { return strncmp(text, word, strlen(word)) == 0; };
    if (*at == 0) return {};
    if (is_at(at, "{tree}") || is_at(at, "{self}")) {
        StartPiece::Kind kind = at[1] == 't' ? StartPiece::Kind::tree : StartPiece::Kind::self;
        at += 6;
        return {kind, nullptr, 0};
    }
    const char* start = at;
    do ++at;
    while (*at != 0 && !is_at(at, "{tree}") && !is_at(at, "{self}"));
    return {StartPiece::Kind::plain, start, static_cast<size_t>(at - start)};
}

/// The texts that stand for the place-holders.
struct StartValues {
    const char* tree;
    const char* self;
};

/// A start's text with what the place-holders stand for, in memory from `allocate`; null where that fails.
inline char* filled_in(const char* text, const StartValues& values, void* (*allocate)(size_t)) {
    char* result = nullptr;
    // First to know the size, then to write.
    for (int pass = 0; pass < 2; ++pass) {
        size_t size = 0;
        const char* at = text;
        for (StartPiece piece = next_piece(at); piece.kind != StartPiece::Kind::end; piece = next_piece(at)) {
            bool plain = piece.kind == StartPiece::Kind::plain;
            const char* from = plain                                  ? piece.text
                               : piece.kind == StartPiece::Kind::tree ? values.tree
                                                                      : values.self;
            size_t count = plain ? piece.size : strlen(from);
            if (result != nullptr) memcpy(result + size, from, count);
            size += count;
        }
        if (result == nullptr) result = static_cast<char*>(allocate(size + 1));
        if (result == nullptr) return nullptr;
        result[size] = 0;
    }
    return result;
}

/// Calls `take` with each text of a list in which each is ended by a zero byte.
template <typename Take> void each_text(payload::Bytes list, Take take) {
    const auto* end = reinterpret_cast<const char*>(list.data) + list.size;
    for (const auto* text = reinterpret_cast<const char*>(list.data); text < end; text += strlen(text) + 1)
        take(text);
}

/// The size of the name in front of the `=` of a variable; of a name alone, its size.
inline size_t name_size(const char* variable) {
    const char* equals = strchr(variable, '=');
    return equals != nullptr ? static_cast<size_t>(equals - variable) : strlen(variable);
}

/// The environment of the program: `before`, in which the variables of `kept` and those of `set` have the
/// name for kept ones, and `set` with what its place-holders stand for. `before` itself where nothing
/// changes.
inline char** program_environment(char** before, payload::Bytes kept, payload::Bytes set,
                                  const StartValues& values, void* (*allocate)(size_t)) {
    if (kept.size == 0 && set.size == 0) return before;
    size_t count = 0, added = 0;
    while (before[count] != nullptr) ++count;
    each_text(set, [&](const char*) { ++added; });
    auto** result = static_cast<char**>(allocate((count + added + 1) * sizeof(char*)));
    if (result == nullptr) return before;
    for (size_t i = 0; i < count; ++i) {
        result[i] = before[i];
        bool is_kept = false;
        auto compare = [&](const char* variable) {
            size_t size = name_size(variable);
            is_kept |= strncmp(before[i], variable, size) == 0 && before[i][size] == '=';
        };
        each_text(kept, compare);
        each_text(set, compare);
        if (!is_kept) continue;
        size_t prefix = strlen(kept_prefix), size = strlen(before[i]) + 1;
        auto* renamed = static_cast<char*>(allocate(prefix + size));
        if (renamed == nullptr) continue;
        memcpy(renamed, kept_prefix, prefix);
        memcpy(renamed + prefix, before[i], size);
        result[i] = renamed;
    }
    size_t used = count;
    each_text(set, [&](const char* variable) {
        if (char* filled = filled_in(variable, values, allocate)) result[used++] = filled;
    });
    result[used] = nullptr;
    return result;
}

} // namespace omnistasis::launcher
