/* SPDX-License-Identifier: Apache-2.0 */
/* recover: from the trash back to where it was. Directories that have gone meanwhile are made again; nothing
 * that stands at the destination is ever replaced. */
#include "act/act.h"

#include "file/identity.h"
#include "os/os.h"
#include "os/private.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

/* Opens the directory of an absolute path without following links, and points `name` at its last component.
 */
static int open_parent(const char *path, char *copy, size_t size, const char **name, struct olv_error *err)
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

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX];
    const char *name;
    int fd;
    if (!olv_act_verify(c->source.fd, e->name, e, true, o))
        return;
    fd = open_parent(e->target, copy, sizeof copy, &name, &o->error);
    if (fd >= 0 && olv_trash_take(c->trash, e->name, fd, name, &o->error)) {
        o->result = OLV_DONE;
        fsync(fd); /* should this fail, a crash leaves the file in the trash, where it is found again */
    } else {
        olv_act_unsuccessful(o);
    }
    if (fd >= 0)
        close(fd);
}

static bool was_applied(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX];
    const char *name;
    struct olv_stat stat;
    int fd = open_parent(e->target, copy, sizeof copy, &name, &o->error);
    bool is_there = fd >= 0 && olv_os_stat(fd, name, &stat) && olv_identity_holds(&e->identity, &stat, false);
    if (fd >= 0)
        close(fd);
    o->result = OLV_DONE;
    (void)c;
    return is_there;
}

const struct olv_act olv_act_recover = {
    .id = OLV_ACT_RECOVER,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .apply = apply,
    .settle = olv_act_sync_trash,
    .was_applied = was_applied,
};
