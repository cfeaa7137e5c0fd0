/* The system's function for parameters, with filter keys, which Wine reads as zeros and does not write; the rest is
 * handed on. What is set is kept in the file that KEEN_FILTER_KEYS names. KEEN_PARAMETERS_KEEP_NOTHING has every write
 * succeed and do nothing, as some functions of some systems do; KEEN_PARAMETERS_REFUSE has them fail with that code. */
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

__declspec(dllexport) BOOL WINAPI SystemParametersInfoW_(UINT action, UINT number, void *held, UINT keep) {
    const char *path = told("KEEN_FILTER_KEYS");
    FILE *file;
    FILTERKEYS *keys = held, start = {sizeof(FILTERKEYS), 2, 1000, 1000, 500, 0};
    if (keep && told("KEEN_PARAMETERS_REFUSE")) {
        SetLastError(atoi(told("KEEN_PARAMETERS_REFUSE")));
        return FALSE;
    }
    if (told("KEEN_PARAMETERS_KEEP_NOTHING") && keep) return TRUE;
    if (!path || (action != SPI_GETFILTERKEYS && action != SPI_SETFILTERKEYS))
        return SystemParametersInfoW(action, number, held, keep);
    if (!keys || keys->cbSize != sizeof *keys) {
        SetLastError(ERROR_INVALID_PARAMETER);
        return FALSE;
    }
    if (action == SPI_SETFILTERKEYS) {
        if (keys->iBounceMSec && (keys->iWaitMSec || keys->iDelayMSec || keys->iRepeatMSec)) {
            SetLastError(ERROR_INVALID_PARAMETER);
            return FALSE;
        }
        file = fopen(path, "wb");
        if (!file) return FALSE;
        fwrite(keys, sizeof *keys, 1, file);
        fclose(file);
        return TRUE;
    }
    file = fopen(path, "rb");
    if (!file || fread(keys, sizeof *keys, 1, file) != 1) *keys = start;
    if (file) fclose(file);
    return TRUE;
}

/* A monitor with a high dynamic range, kept in the file that KEEN_DYNAMIC_RANGE names. */
__declspec(dllexport) LONG WINAPI DisplayConfigGetDeviceInfo_(DISPLAYCONFIG_DEVICE_INFO_HEADER *request) {
    UINT32 *flags = (UINT32 *)(request + 1);
    const char *path = told("KEEN_DYNAMIC_RANGE");
    FILE *file;
    if (!path || request->type != 9) return ERROR_INVALID_PARAMETER;
    file = fopen(path, "rb");
    *flags = 1 | (file && fgetc(file) == '1' ? 2 : 0);
    if (file) fclose(file);
    return 0;
}

__declspec(dllexport) LONG WINAPI DisplayConfigSetDeviceInfo_(DISPLAYCONFIG_DEVICE_INFO_HEADER *request) {
    const char *path = told("KEEN_DYNAMIC_RANGE");
    FILE *file;
    if (told("KEEN_PARAMETERS_REFUSE")) return atoi(told("KEEN_PARAMETERS_REFUSE"));
    if (told("KEEN_PARAMETERS_KEEP_NOTHING")) return 0;
    if (!path || request->type != 10 || !(file = fopen(path, "wb"))) return ERROR_INVALID_PARAMETER;
    fputc(*(UINT32 *)(request + 1) & 1 ? '1' : '0', file);
    fclose(file);
    return 0;
}
