/* SPDX-License-Identifier: Apache-2.0 */
#include "source/destination.h"

#include "file/parents.h"
#include "file/touched.h"
#include "olvido/guard.h"
#include "os/os.h"

#include <errno.h>
#include <string.h>

/* Cuts the path in two: its directory, in `copy`, and the last component. */
static bool split(const char *path, char *copy, size_t size, const char **name, struct olv_error *err)
{
    size_t len = strlen(path);
    char *slash;
    if (len >= size) {
        errno = ENAMETOOLONG;
        return olv_fail_system(err, path, "cannot recover it");
    }
    memcpy(copy, path, len + 1);
    slash = strrchr(copy, '/');
    *name = path + (slash - copy) + 1;
    *(slash == copy ? slash + 1 : slash) = '\0';
    return true;
}

int destination_open(const char *path, char *copy, size_t size, const char **name, struct olv_error *err)
{
    return split(path, copy, size, name, err) ? parents_there(copy, err) : -1;
}

bool destination_is_allowed(const struct turn *turn, const struct olv_docket_entry *e, int dir,
                            const char *name, struct olv_outcome *o)
{
    struct olv_stat there;
    bool moves_it = e->if_exists == OLV_REPLACE || e->if_exists == OLV_SET_ASIDE;
    if (!moves_it)
        return true;
    if (!olv_os_stat(dir, name, &there)) {
        if (errno == ENOENT)
            return true;
        olv_fail_system(&o->error, name, "looking at what stands at its place");
        outcome_failed(o);
        return false;
    }
    if (!olv_guard_is_own(turn->lent->guard, there.device, there.inode))
        return true;
    olv_fail(&o->error, OLV_REFUSED, "one of Olvido's own files stands at its place");
    o->result = OLV_DENIED;
    return false;
}

void destination_note(struct olv_outcome *o, struct olv_text *path, const char *directory, const char *name)
{
    olv_text_clear(path);
    olv_text_printf(path, "%s%s%s", directory, directory[1] ? "/" : "", name);
    o->placed = olv_text_string(path);
}

void destination_touch(struct turn *turn, int dir)
{
    struct olv_stat stat;
    struct olv_error ignored = {0}; /* should it fail, a crash leaves the file in the trash */
    if (olv_os_stat(dir, "", &stat))
        touched_add(turn->lent->touched, dir, &stat, &ignored);
}
