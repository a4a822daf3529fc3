/* What Wine 8 lacks of Windows's bcryptprimitives.dll: the source of random numbers that compiled packages ask for when
   they are loaded. Proofs under Wine put it where Wine has none. */
#include <windows.h>

BOOLEAN NTAPI SystemFunction036(PVOID buffer, ULONG size); /* RtlGenRandom */

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T size) {
    const SIZE_T most = 1u << 20;
    while (size > 0) {
        SIZE_T part = size < most ? size : most;
        if (!SystemFunction036(data, (ULONG)part)) return FALSE;
        data += part;
        size -= part;
    }
    return TRUE;
}
