/* SPDX-License-Identifier: Apache-2.0 */
/* Errors are plain values; this file only fills them. */
#include "olvido/error.h"

#include <errno.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

/* The end of a path says more than its beginning. The cut is at a slash, or at least between characters. */
static void set_path(struct olv_error *err, const char *path)
{
    static const char more[] = "…";
    size_t len = strlen(path), room = sizeof err->path - sizeof more;
    const char *rest = path + (len > room ? len - room : 0), *slash = strchr(rest, '/');
    if (len < sizeof err->path) {
        memcpy(err->path, path, len + 1);
        return;
    }
    while ((*rest & 0xC0) == 0x80)
        rest++;
    snprintf(err->path, sizeof err->path, "%s%s", more, slash ? slash : rest);
}

void olv_error_clear(struct olv_error *err)
{
    err->code = OLV_OK;
    err->sys = 0;
    err->hint = NULL;
    err->what[0] = err->path[0] = '\0';
}

bool(olv_fail)(struct olv_error *err, enum olv_code code, const char *format, ...)
{
    va_list args;
    olv_error_clear(err);
    err->code = code;
    va_start(args, format);
    vsnprintf(err->what, sizeof err->what, format, args);
    va_end(args);
    return false;
}

bool(olv_fail_system)(struct olv_error *err, const char *path, const char *format, ...)
{
    int sys = errno;
    va_list args;
    olv_error_clear(err);
    err->code = sys == ENOMEM ? OLV_MEMORY : OLV_SYSTEM;
    err->sys = sys;
    va_start(args, format);
    vsnprintf(err->what, sizeof err->what, format, args);
    va_end(args);
    set_path(err, path);
    return false;
}

bool(olv_fail_memory)(struct olv_error *err)
{
    olv_fail(err, OLV_MEMORY, "memory ran out");
    return olv_error_hint(err, "nothing was left half done; free some memory and run it again");
}

bool olv_error_at(struct olv_error *err, const char *path)
{
    set_path(err, path);
    return false;
}

bool olv_error_hint(struct olv_error *err, const char *hint)
{
    err->hint = hint;
    return false;
}

bool olv_error_as(struct olv_error *err, enum olv_code code)
{
    err->code = code;
    return false;
}
