/* SPDX-License-Identifier: Apache-2.0 */
#include "act/destination.h"

#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <string.h>

int destination_open(const char *path, char *copy, size_t size, const char **name, struct olv_error *err)
{
    size_t len = strlen(path);
    char *slash;
    int fd;
    if (len >= size) {
        errno = ENAMETOOLONG;
        olv_fail_system(err, path, "cannot recover it");
        return -1;
    }
    memcpy(copy, path, len + 1);
    slash = strrchr(copy, '/');
    *name = path + (slash - copy) + 1;
    *(slash == copy ? slash + 1 : slash) = '\0';
    fd = olv_os_open_path(copy);
    if (fd < 0 && errno == ENOENT && olv_make_parents(path, err))
        fd = olv_os_open_path(copy);
    if (fd < 0) {
        bool is_link = errno == ELOOP || errno == ENOTDIR;
        olv_fail_system(err, copy,
                        is_link ? "a link or a file stands where its directory was"
                                : "cannot open its directory");
    }
    return fd;
}

bool destination_is_allowed(const struct olv_act_context *c, const struct olv_docket_entry *e, int dir,
                            const char *name, struct olv_outcome *o)
{
    struct olv_stat there;
    bool moves_it = e->if_exists == OLV_REPLACE || e->if_exists == OLV_SET_ASIDE;
    if (!moves_it || !olv_os_stat(dir, name, &there) ||
        !olv_guard_is_own(c->guard, there.device, there.inode))
        return true;
    olv_fail(&o->error, OLV_REFUSED, "one of Olvido's own files stands at its place");
    o->result = OLV_DENIED;
    return false;
}

void destination_note(struct olv_act_context *c, const char *directory, int dir, const char *name)
{
    struct olv_stat stat;
    olv_text_clear(&c->placed);
    olv_text_printf(&c->placed, "%s%s%s", directory, directory[1] ? "/" : "", name);
    if (olv_os_stat(dir, name, &stat))
        olv_respite_note(c->respites, olv_text_string(&c->placed), &stat, c->now);
}

void destination_touch(struct olv_act_context *c, int dir)
{
    struct olv_stat stat;
    struct olv_error ignored = {0}; /* should it fail, a crash leaves the file in the trash */
    if (olv_os_stat(dir, "", &stat))
        touched_add(c->touched, dir, &stat, &ignored);
}
