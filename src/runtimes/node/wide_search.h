#pragma once

#include <bit>
#include <cstddef>
#include <string_view>

#if defined(__SSE2__)
#include <emmintrin.h>
#endif

namespace omnistasis::node {

// Where something ends in a text: sixteen characters at once where the processor can, for a loop that ends
// somewhere else each time is what takes longest in a lexer.

#if defined(__SSE2__)
inline __m128i sixteen_at(std::string_view text, std::size_t at) {
    return _mm_loadu_si128(reinterpret_cast<const __m128i*>(text.data() + at));
}
inline __m128i are(__m128i letters, char wanted) { return _mm_cmpeq_epi8(letters, _mm_set1_epi8(wanted)); }
inline __m128i are_between(__m128i letters, char first, char last) {
    return _mm_and_si128(_mm_cmpgt_epi8(letters, _mm_set1_epi8(static_cast<char>(first - 1))),
                         _mm_cmplt_epi8(letters, _mm_set1_epi8(static_cast<char>(last + 1))));
}
inline unsigned bits_of(__m128i found) { return static_cast<unsigned>(_mm_movemask_epi8(found)); }
#endif

/// The first position from `at` on whose character is one of `Wanted`; the text's size where there is none.
template <char... Wanted> std::size_t find_one_of(std::string_view text, std::size_t at) {
#if defined(__SSE2__)
    for (; at + 16 <= text.size(); at += 16) {
        __m128i letters = sixteen_at(text, at), found = _mm_setzero_si128();
        ((found = _mm_or_si128(found, are(letters, Wanted))), ...);
        if (unsigned bits = bits_of(found); bits != 0)
            return at + static_cast<std::size_t>(std::countr_zero(bits));
    }
#endif
    while (at < text.size() && ((text[at] != Wanted) && ...)) ++at;
    return at;
}

/// The first position from `at` on that holds no white space (ECMA-262, tables 34 and 35, as far as they are
/// ASCII).
inline std::size_t end_of_space(std::string_view text, std::size_t at) {
#if defined(__SSE2__)
    for (; at + 16 <= text.size(); at += 16) {
        __m128i letters = sixteen_at(text, at);
        unsigned bits = bits_of(_mm_or_si128(are(letters, ' '), are_between(letters, '\t', '\r')));
        if (bits != 0xFFFF) return at + static_cast<std::size_t>(std::countr_one(bits));
    }
#endif
    while (at < text.size() && (text[at] == ' ' || (text[at] >= '\t' && text[at] <= '\r'))) ++at;
    return at;
}

/// The first position from `at` on whose character does not go on with a name: what `is_in_name` says, which
/// is asked where there are too few for sixteen.
inline std::size_t end_of_name(std::string_view text, std::size_t at, bool (*is_in_name)(char)) {
#if defined(__SSE2__)
    for (; at + 16 <= text.size(); at += 16) {
        __m128i letters = sixteen_at(text, at);
        __m128i in_name = are_between(_mm_or_si128(letters, _mm_set1_epi8(0x20)), 'a', 'z');
        in_name = _mm_or_si128(in_name, are_between(letters, '0', '9'));
        in_name = _mm_or_si128(in_name, are_between(letters, '#', '$'));
        in_name = _mm_or_si128(in_name, _mm_or_si128(are(letters, '_'), are(letters, '@')));
        in_name = _mm_or_si128(in_name, are(letters, '\\'));
        // Of all characters beyond ASCII the highest bit is set.
        unsigned bits = bits_of(_mm_or_si128(in_name, letters));
        if (bits != 0xFFFF) return at + static_cast<std::size_t>(std::countr_one(bits));
    }
#endif
    while (at < text.size() && is_in_name(text[at])) ++at;
    return at;
}

} // namespace omnistasis::node
