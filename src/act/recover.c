/* SPDX-License-Identifier: Apache-2.0 */
/* recover: from the trash back to where it was. Directories that have gone meanwhile are made again; what
 * stands at the destination is not replaced unless that was asked for. */
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

/* What stands at its place and must never be replaced or moved aside. */
static bool is_allowed(const struct olv_act_context *c, const struct olv_docket_entry *e, int dir,
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

/* Where it is now, and that it is to be left alone for a while. */
static void note(struct olv_act_context *c, const char *directory, int dir, const char *name)
{
    struct olv_stat stat;
    olv_text_clear(&c->placed);
    olv_text_printf(&c->placed, "%s%s%s", directory, directory[1] ? "/" : "", name);
    if (olv_os_stat(dir, name, &stat))
        olv_respite_note(c->respites, olv_text_string(&c->placed), &stat, c->now);
}

static void touch(struct olv_act_context *c, int dir)
{
    struct olv_stat stat;
    struct olv_error ignored = {0}; /* should it fail, a crash leaves the file in the trash */
    if (olv_os_stat(dir, "", &stat))
        touched_add(c->touched, dir, &stat, &ignored);
}

static void apply(struct olv_act_context *c, const struct olv_docket_entry *e, struct olv_outcome *o)
{
    char copy[PATH_MAX], placed[NAME_MAX + 1];
    const char *name;
    int fd;
    if (!olv_act_verify(c->source.fd, e->name, e, true, o))
        return;
    fd = open_parent(e->target, copy, sizeof copy, &name, &o->error);
    if (fd >= 0 && is_allowed(c, e, fd, name, o) &&
        olv_trash_take(c->trash, e->name, fd, name, e->if_exists, placed, &o->error)) {
        o->result = OLV_DONE;
        note(c, copy, fd, placed);
        touch(c, fd);
    } else if (o->error.code == OLV_EXISTS && e->if_exists == OLV_SKIP) {
        o->result = OLV_LEFT;
    } else if (o->result != OLV_DENIED) {
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
    bool is_there = fd >= 0 && olv_os_stat(fd, name, &stat) && olv_identity_survived(&e->identity, &stat);
    if (is_there)
        note(c, copy, fd, name);
    if (fd >= 0)
        close(fd);
    o->result = OLV_DONE;
    return is_there;
}

const struct olv_act olv_act_recover = {
    .id = OLV_ACT_RECOVER,
    .result = "done",
    .is_touching = true,
    .needs_trash = true,
    .find_trash = olv_act_trash_of_item,
    .apply = apply,
    .settle = olv_act_store_trash,
    .was_applied = was_applied,
};
