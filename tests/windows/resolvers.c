/* The resolvers of interfaces, kept in the file that KEEN_RESOLVERS names; the list of adapters is Wine's own.
 * KEEN_RESOLVERS_REFUSES makes a write fail with that code. */
#include <windows.h>
#include <stdio.h>
#include <stdlib.h>

/* The process's own variables, as they are now: the C library's copy is of the start. */
static const char *told(const char *name) {
    static char texts[4][260];
    static int turn;
    char *text = texts[turn++ % 4];
    return GetEnvironmentVariableA(name, text, 260) ? text : NULL;
}

struct settings { ULONG version; ULONG64 flags; WCHAR *domain, *servers; };

__declspec(dllexport) DWORD WINAPI GetInterfaceDnsSettings(GUID which, struct settings *held) {
    const char *path = told("KEEN_RESOLVERS");
    FILE *file;
    if (!path || held->version != 1) return ERROR_INVALID_PARAMETER;
    held->servers = LocalAlloc(LPTR, 512);
    file = fopen(path, "rb");
    if (file) {
        fread(held->servers, 1, 510, file);
        fclose(file);
    }
    return 0;
}

__declspec(dllexport) DWORD WINAPI SetInterfaceDnsSettings(GUID which, const struct settings *wanted) {
    const char *path = told("KEEN_RESOLVERS"), *code = told("KEEN_RESOLVERS_REFUSES");
    FILE *file;
    if (code) return (DWORD)atoi(code);
    if (!path || wanted->version != 1 || wanted->flags != 2 || !(file = fopen(path, "wb"))) return ERROR_INVALID_PARAMETER;
    fwrite(wanted->servers, 1, 2 * wcslen(wanted->servers), file);
    fclose(file);
    return 0;
}

__declspec(dllexport) void WINAPI FreeInterfaceDnsSettings(struct settings *held) {
    LocalFree(held->servers);
}
