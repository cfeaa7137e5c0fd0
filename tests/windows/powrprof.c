/* Power schemes as the system's documentation has them, kept in the file that KEEN_POWER names; Wine has none.
 *
 * A value that is written holds only once its scheme is made the active one, which copies it to what is in force; so a
 * writer that forgets this shows. KEEN_POWER_REFUSES makes every write fail with that code. */
#include <windows.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The process's own variables, as they are now: the C library's copy is of the start. */
static const char *told(const char *name) {
    static char texts[4][260];
    static int turn;
    char *text = texts[turn++ % 4];
    return GetEnvironmentVariableA(name, text, 260) ? text : NULL;
}

#define SCHEMES 3
#define VALUES 6
#define EXPORT __declspec(dllexport)

static const GUID schemes[SCHEMES] = {
    {0x381b4222, 0xf694, 0x41f0, {0x96, 0x85, 0xff, 0x5b, 0xb2, 0x60, 0xdf, 0x2e}},
    {0x8c5e7fda, 0xe8bf, 0x4a96, {0x9a, 0x85, 0xa6, 0xe2, 0x3a, 0x8c, 0x63, 0x5c}},
    {0xa1841308, 0x3541, 0x4fab, {0xbc, 0x81, 0xf7, 0x15, 0x56, 0xf2, 0x0b, 0x4a}}};
static const GUID values[VALUES] = {
    {0x0cc5b647, 0xc1df, 0x4637, {0x89, 0x1a, 0xde, 0xc3, 0x5c, 0x31, 0x85, 0x83}},
    {0x893dee8e, 0x2bef, 0x41e0, {0x89, 0xc6, 0xb5, 0x5d, 0x09, 0x29, 0x96, 0x4c}},
    {0xbc5038f7, 0x23e0, 0x4960, {0x96, 0xda, 0x33, 0xab, 0xaf, 0x59, 0x35, 0xec}},
    {0xbe337238, 0x0d82, 0x4146, {0xa9, 0x60, 0x4f, 0x37, 0x49, 0xd4, 0x70, 0xc7}},
    {0x8baa4a8a, 0x14c6, 0x4451, {0x8e, 0x8b, 0x14, 0xbd, 0xbd, 0x19, 0x75, 0x37}},
    {0x36687f9e, 0xe3a5, 0x4dbf, {0xb1, 0xdc, 0x15, 0xeb, 0x38, 0x1c, 0x68, 0x63}}};
static const DWORD highest[VALUES] = {100, 100, 100, 6, 1, 100};
static const DWORD at_first[VALUES] = {50, 5, 100, 1, 1, 50};

struct kept { DWORD active, written[SCHEMES][VALUES], in_force[VALUES]; };

static struct kept load(void) {
    struct kept kept;
    const char *path = told("KEEN_POWER");
    FILE *file = path ? fopen(path, "rb") : NULL;
    if (!file || fread(&kept, sizeof kept, 1, file) != 1) {
        kept.active = 0;
        for (int scheme = 0; scheme < SCHEMES; scheme++) memcpy(kept.written[scheme], at_first, sizeof at_first);
        memcpy(kept.in_force, at_first, sizeof at_first);
    }
    if (file) fclose(file);
    return kept;
}

static DWORD save(const struct kept *kept) {
    const char *path = told("KEEN_POWER");
    FILE *file = path ? fopen(path, "wb") : NULL;
    if (!file) return ERROR_FILE_NOT_FOUND;
    fwrite(kept, sizeof *kept, 1, file);
    fclose(file);
    return 0;
}

static int find(const GUID *wanted, const GUID *known, int count) {
    for (int number = 0; wanted && number < count; number++)
        if (!memcmp(wanted, &known[number], sizeof(GUID))) return number;
    return -1;
}

static DWORD refusal(void) {
    const char *code = told("KEEN_POWER_REFUSES");
    return code ? (DWORD)atoi(code) : 0;
}

EXPORT DWORD WINAPI PowerEnumerate(HKEY root, const GUID *scheme, const GUID *group, DWORD access, ULONG number,
                                   UCHAR *buffer, DWORD *size) {
    if (access != 16 || scheme || group) return ERROR_INVALID_PARAMETER;
    if (number >= SCHEMES) return ERROR_NO_MORE_ITEMS;
    if (*size < sizeof(GUID)) return ERROR_MORE_DATA;
    memcpy(buffer, &schemes[number], sizeof(GUID));
    return 0;
}

EXPORT DWORD WINAPI PowerGetActiveScheme(HKEY root, GUID **active) {
    struct kept kept = load();
    if (!told("KEEN_POWER")) return ERROR_CALL_NOT_IMPLEMENTED;
    *active = LocalAlloc(LMEM_FIXED, sizeof(GUID));
    memcpy(*active, &schemes[kept.active], sizeof(GUID));
    return 0;
}

EXPORT DWORD WINAPI PowerSetActiveScheme(HKEY root, const GUID *scheme) {
    struct kept kept = load();
    int which = find(scheme, schemes, SCHEMES);
    if (refusal()) return refusal();
    if (which < 0) return ERROR_FILE_NOT_FOUND;
    kept.active = which;
    memcpy(kept.in_force, kept.written[which], sizeof kept.in_force);
    return save(&kept);
}

EXPORT DWORD WINAPI PowerReadACValueIndex(HKEY root, const GUID *scheme, const GUID *group, const GUID *value,
                                          DWORD *index) {
    struct kept kept = load();
    int which = find(scheme, schemes, SCHEMES), what = find(value, values, VALUES);
    if (which < 0 || what < 0) return ERROR_FILE_NOT_FOUND;
    *index = kept.written[which][what];
    return 0;
}

EXPORT DWORD WINAPI PowerWriteACValueIndex(HKEY root, const GUID *scheme, const GUID *group, const GUID *value,
                                           DWORD index) {
    struct kept kept = load();
    int which = find(scheme, schemes, SCHEMES), what = find(value, values, VALUES);
    if (refusal()) return refusal();
    if (which < 0 || what < 0) return ERROR_FILE_NOT_FOUND;
    if (index > highest[what]) return ERROR_INVALID_PARAMETER;
    kept.written[which][what] = index;
    return save(&kept);
}

EXPORT DWORD WINAPI PowerSettingAccessCheckEx(DWORD what, const GUID *of, REGSAM access) {
    BOOL known = what == 0 ? find(of, values, VALUES) >= 0 : what == 19 && find(of, schemes, SCHEMES) >= 0;
    return known && access == KEY_WRITE ? refusal() : ERROR_INVALID_PARAMETER;
}

/* What is in force now: not a function of the system's, for tests alone. */
EXPORT DWORD WINAPI InForce(DWORD value) {
    struct kept kept = load();
    return value < VALUES ? kept.in_force[value] : (DWORD)-1;
}
