#include "signature.h"

#include <sodium/crypto_sign_ed25519.h>
#include <stdlib.h>

// Parts of the library that lie beside the check, and that nothing here calls, ask for these.
extern "C" {
void randombytes_buf(void*, size_t) { abort(); }
void sodium_misuse() { abort(); }
}

namespace omnistasis::launcher {

namespace {

struct KeySlot {
    char mark[sizeof payload::key_mark - 1];
    uint8_t key[payload::key_size];
};

/// Filled in when an application is built; the compiler must not believe that it knows the content.
volatile const KeySlot key_slot = {{'O', 'M', 'N', 'I', 'S', 'T', 'A', 'S', 'I', 'S', '-',
                                    'P', 'U', 'B', 'L', 'I', 'C', '-', 'K', 'E', 'Y', ':'},
                                   {}};

} // namespace

bool is_signature_right(const payload::Head& head) {
    uint8_t key[payload::key_size];
    for (size_t i = 0; i < sizeof key; ++i) key[i] = key_slot.key[i];
    return head.signature.size == payload::signature_size &&
           crypto_sign_ed25519_verify_detached(head.signature.data, head.signed_part.data,
                                               head.signed_part.size, key) == 0;
}

} // namespace omnistasis::launcher
