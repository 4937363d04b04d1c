/* SPDX-License-Identifier: Apache-2.0 */
#include "file/removal.h"

#include <stdatomic.h>
#include <unistd.h>

static const char *const reasons[REMOVALS] = {
    [REMOVAL_TEMPORARY] = "an original goes only when the new file has its name, and this one has none",
    [REMOVAL_NEW_FILE] = "its original stands, and was compared by kind, inode, size and times",
    [REMOVAL_REPLACED] = "a person told to replace it, and what replaces it stands under its name",
    [REMOVAL_HALF] = "the other name of the same file stands, and this one was announced before it was made",
    [REMOVAL_STAGED] = "the same file stands under its own name, and nobody else reaches into the room",
    [REMOVAL_THING] = "it is a link, a pipe, a device, or another name of a file: contents are never made so",
    [REMOVAL_BESIDE] = "all originals of the run stand, and no outcome was recorded",
    [REMOVAL_MADE] = "each member stands at its path, or in a live archive that was compared",
    [REMOVAL_GOING] = "all its members were to go, or are in the archive that replaced it; it was compared",
    [REMOVAL_INFO] = "it has no contents, and no item has its name",
};

static atomic_uint counts[REMOVALS];
static _Thread_local volatile _Bool is_under_way; /* else the compiler may leave it out */

const char *removal_reason(enum removal what)
{
    return reasons[what];
}

int removal_unlink(enum removal what, int dir, const char *name)
{
    int status;
    is_under_way = 1;
    status = unlinkat(dir, name, 0);
    is_under_way = 0;
    if (status == 0)
        atomic_fetch_add(&counts[what], 1);
    return status;
}

unsigned removal_count(enum removal what)
{
    return atomic_load(&counts[what]);
}

_Bool removal_is_under_way(void)
{
    return is_under_way;
}
