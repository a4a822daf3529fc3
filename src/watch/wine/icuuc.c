/* What Wine lacks of Windows's icuuc.dll, as far as Qt 6 asks for it when it is loaded: converters of
   encodings that Qt does not have itself. This one has none, and says so as the library does. Proofs under
   Wine put it where Wine has none. */
#include <stddef.h>
#include <stdint.h>

#define GIVEN __declspec(dllexport)

enum { illegal_argument = 1, no_such_converter = 4 }; /* UErrorCode */

static void fail_with(int32_t* status, int32_t code) {
    if (*status <= 0) *status = code;
}

GIVEN void* ucnv_open(const char* name, int32_t* status) {
    (void)name;
    fail_with(status, no_such_converter);
    return NULL;
}
GIVEN int32_t ucnv_countAvailable(void) { return 0; }
GIVEN const char* ucnv_getAvailableName(int32_t number) {
    (void)number;
    return NULL;
}
GIVEN const char* ucnv_getStandardName(const char* name, const char* standard, int32_t* status) {
    (void)name, (void)standard;
    fail_with(status, illegal_argument);
    return NULL;
}
GIVEN const char* ucnv_getName(const void* converter, int32_t* status) {
    (void)converter;
    fail_with(status, illegal_argument);
    return NULL;
}

/* Without a converter nobody comes here. */
#define NEVER_CALLED(name)                                                                                   \
    GIVEN void name(void) {}
NEVER_CALLED(ucnv_close)
NEVER_CALLED(ucnv_reset)
NEVER_CALLED(ucnv_getMaxCharSize)
NEVER_CALLED(ucnv_getToUCallBack)
NEVER_CALLED(ucnv_getFromUCallBack)
NEVER_CALLED(ucnv_setToUCallBack)
NEVER_CALLED(ucnv_setFromUCallBack)
NEVER_CALLED(ucnv_toUnicode)
NEVER_CALLED(ucnv_fromUnicode)
NEVER_CALLED(ucnv_toUCountPending)
NEVER_CALLED(ucnv_fromUCountPending)
NEVER_CALLED(ucnv_cbToUWriteUChars)
NEVER_CALLED(ucnv_cbFromUWriteUChars)
NEVER_CALLED(UCNV_TO_U_CALLBACK_SUBSTITUTE)
NEVER_CALLED(UCNV_FROM_U_CALLBACK_SUBSTITUTE)
