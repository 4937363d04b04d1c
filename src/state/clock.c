/* SPDX-License-Identifier: Apache-2.0 */
/* The register has the wall clock of the last run, with the boot and the time since then, which nobody can
 * set. */
#include "os/os.h"
#include "state/register_parts.h"

#include <stdlib.h>
#include <string.h>

enum { MOST_DRIFT_S = 3600 };

struct noted {
    int64_t wall_s;
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
};

/* OLV_NO: nothing has been noted yet. */
static enum olv_truth read_noted(const struct olv_register *r, struct noted *out)
{
    struct olv_error ignored = {0};
    sqlite3_stmt *s = NULL;
    enum olv_truth found =
        database_find(&r->base, &s, "SELECT wall, boot, since_boot FROM clock", NULL, 0, &ignored);
    if (found == OLV_YES) {
        const char *boot = (const char *)sqlite3_column_text(s, 1);
        out->wall_s = sqlite3_column_int64(s, 0);
        out->since_boot_s = sqlite3_column_int64(s, 2);
        if (!boot || strlen(boot) >= sizeof out->boot)
            found = OLV_UNKNOWN;
        else
            memcpy(out->boot, boot, strlen(boot) + 1);
    }
    sqlite3_finalize(s);
    return found;
}

/* Why the clock is doubtful compared with the last run's note; NULL: it is not. */
static const char *doubt(const struct noted *noted, struct olv_instant now)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
    if (!olv_os_boot(boot, &since_boot_s))
        return "this system does not identify its boots, so the clock cannot be checked";
    if (strcmp(boot, noted->boot) != 0)
        return "the machine was started since the last run, and its clock is not known to be synchronised";
    if (llabs((now.s - noted->wall_s) - (since_boot_s - noted->since_boot_s)) > MOST_DRIFT_S)
        return "the clock was set by more than an hour since the last run";
    return NULL;
}

static const char *clock_doubt_of(const struct olv_register *reg, struct olv_instant now,
                                  struct olv_instant last)
{
    struct noted noted;
    enum olv_truth is_noted = reg ? read_noted(reg, &noted) : OLV_NO;
    if (last.s && olv_instant_compare(now, last) < 0)
        return "the clock is behind the last line of the ledger";
    if (is_noted == OLV_UNKNOWN)
        return "what the last run noted of the clock cannot be read";
    return is_noted == OLV_YES ? doubt(&noted, now) : NULL;
}

const char *olv_clock_doubt(const struct olv_register *reg, struct olv_instant now, struct olv_instant last)
{
    const char *why = clock_doubt_of(reg, now, last);
    return why && olv_os_clock_is_synchronised() == OLV_YES ? NULL : why;
}

bool clock_note(const struct olv_register *reg, struct olv_instant now, struct olv_error *err)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
    return !olv_os_boot(boot, &since_boot_s) ||
           database_commit(&reg->base, "INSERT OR REPLACE INTO clock VALUES (0, ?, ?, ?)",
                           VALUES(value_of(now.s), value_text(boot), value_of(since_boot_s)), err);
}
