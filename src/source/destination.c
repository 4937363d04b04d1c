/* SPDX-License-Identifier: Apache-2.0 */
#include "source/destination.h"

#include "file/parents.h"
#include "file/touched.h"
#include "olvido/guard.h"
#include "olvido/path.h"
#include "os/os.h"

#include <errno.h>
#include <stdlib.h>

int destination_open(const char *path, const char **name, struct olv_error *err)
{
    char *directory = olv_path_directory(path);
    int fd = directory ? parents_there(directory, err) : -1;
    *name = olv_path_name(path);
    if (!directory)
        olv_fail_memory(err);
    free(directory);
    return fd;
}

bool destination_is_allowed(const struct turn *turn, const struct olv_docket_entry *e, int dir,
                            const char *name, struct olv_outcome *o)
{
    struct olv_stat there;
    bool moves_it = e->if_exists == OLV_REPLACE || e->if_exists == OLV_SET_ASIDE;
    if (e->act->target && olv_guard_of(&turn->session->guard, e->target) != OLV_NO_BARRIER) {
        olv_fail(&o->error, OLV_REFUSED,
                 "guarded: it would go to a system directory, or one of Olvido's own");
        o->result = OLV_DENIED;
        return false;
    }
    if (!moves_it)
        return true;
    if (!olv_os_stat(dir, name, &there)) {
        if (errno == ENOENT)
            return true;
        olv_fail_system(&o->error, name, "looking at what is in its place");
        outcome_failed(o);
        return false;
    }
    if (!olv_guard_is_own(&turn->session->guard, there.device, there.inode))
        return true;
    olv_fail(&o->error, OLV_REFUSED, "one of Olvido's own files is in its place");
    o->result = OLV_DENIED;
    return false;
}

void destination_note(struct olv_outcome *o, struct olv_text *placed, const char *path, const char *name)
{
    olv_text_clear(placed);
    olv_text_add(placed, path, (size_t)(olv_path_name(path) - path));
    olv_text_puts(placed, name);
    o->placed = olv_text_string(placed);
}

void destination_touch(struct turn *turn, int dir)
{
    struct olv_stat stat;
    struct olv_error ignored = {0}; /* if this fails, a crash leaves the file in the trash */
    if (olv_os_stat(dir, "", &stat))
        touched_add(turn->run.touched, dir, &stat, &ignored);
}
