/* What a compiled library asks the system for, and Wine 8 does not have: random bytes, passed on to what it has. */
#include <windows.h>

BOOLEAN NTAPI SystemFunction036(PVOID buffer, ULONG length);

__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE buffer, SIZE_T length) {
    return SystemFunction036(buffer, (ULONG)length);
}
