/* SPDX-License-Identifier: Apache-2.0 */
#include "file/room.h"

#include "file/identity.h"
#include "file/removal.h"
#include "os/files.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

static void room_begin(struct room *r, int outside, const char *label)
{
    *r = (struct room){.dir = -1, .outside = outside};
    snprintf(r->name, sizeof r->name, ".olvido-%.*s.room", FRESH_LABEL, label);
    snprintf(r->thing, sizeof r->thing, "part");
}

/* Somebody may have put another directory in its place: one that is not ours alone is not used. */
static bool is_private(const struct olv_stat *stat)
{
    return stat->kind == OLV_KIND_DIRECTORY && stat->owner == (uint32_t)geteuid() &&
           (stat->mode & 0777) == 0700;
}

static bool room_open_it(struct room *r)
{
    struct olv_stat stat;
    int sys;
    r->dir = openat(r->outside, r->name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (r->dir < 0)
        return false;
    sys = !olv_os_stat(r->dir, "", &stat) ? errno : is_private(&stat) ? 0 : EPERM;
    if (sys == 0)
        return true;
    close(r->dir);
    r->dir = -1;
    errno = sys;
    return false;
}

bool room_open_again(struct room *r, int outside, const char *label)
{
    room_begin(r, outside, label);
    return room_open_it(r);
}

bool room_open_private(struct room *r, int outside, const char *label, struct olv_error *err)
{
    bool is_made;
    room_begin(r, outside, label);
    is_made = mkdirat(outside, r->name, 0700) == 0;
    if (is_made && room_open_it(r) && olv_os_clear_lists(r->dir))
        return true;
    if (!is_made && errno == EEXIST && room_open_it(r)) /* ours, which could not be removed */
        return true;
    olv_fail_system(err, r->name, "cannot make a private directory, which is needed where others may write");
    olv_os_close(r->dir);
    r->dir = -1;
    if (is_made && err->sys != EPERM) /* otherwise it is somebody else's */
        unlinkat(outside, r->name, AT_REMOVEDIR);
    return false;
}

bool room_open(struct room *r, int outside, const char *label, struct olv_error *err)
{
    struct olv_stat stat;
    if (!olv_os_stat(outside, "", &stat)) {
        *r = (struct room){.dir = -1, .outside = outside};
        return olv_fail_system(err, "", "cannot look at the directory");
    }
    if (!olv_directory_is_ours(&stat))
        return room_open_private(r, outside, label, err);
    *r = (struct room){.dir = outside, .outside = outside};
    fresh_name(label, r->thing);
    return true;
}

void room_clear(const struct room *r)
{
    if (r->dir >= 0 && unlinkat(r->dir, r->thing, 0) != 0 && (errno == EISDIR || errno == EPERM))
        unlinkat(r->dir, r->thing, AT_REMOVEDIR);
}

bool room_close(struct room *r)
{
    bool is_own = r->dir >= 0 && *r->name;
    if (is_own)
        close(r->dir);
    r->dir = -1;
    return !is_own || unlinkat(r->outside, r->name, AT_REMOVEDIR) == 0;
}

static int make_directory(const struct room *r, struct olv_error *err)
{
    bool is_made = mkdirat(r->dir, r->thing, 0700) == 0;
    int fd = is_made ? olv_os_open_dir(r->dir, r->thing, false) : -1;
    if (fd >= 0 && olv_os_clear_lists(fd))
        return fd;
    olv_fail_system(err, "", "cannot make the directory");
    olv_os_close(fd);
    if (is_made)
        unlinkat(r->dir, r->thing, AT_REMOVEDIR);
    return -1;
}

int room_make_directory(int outside, const char *name, const char *label,
                        bool (*finish)(void *self, int fd, struct olv_error *err), void *self,
                        struct olv_error *err)
{
    struct room r;
    int fd;
    bool ok;
    if (!room_open(&r, outside, label, err))
        return -1;
    fd = make_directory(&r, err);
    ok = fd >= 0 && (!finish || finish(self, fd, err)) &&
         (olv_os_rename_new(r.dir, r.thing, outside, name) ||
          olv_fail_system(err, "", "cannot make the directory %.200s", name));
    if (!ok)
        room_clear(&r);
    if (!room_close(&r) && ok)
        ok = olv_fail_system(err, r.name, "cannot remove this directory, used for making another");
    if (!ok && fd >= 0)
        close(fd);
    return ok ? fd : -1;
}

/* Links, pipes, devices, empty directories and second names are made under it, never the only name of a file.
 */
static void settle_thing(const struct room *r)
{
    struct olv_stat stat;
    if (!olv_os_stat(r->dir, r->thing, &stat) || (stat.kind == OLV_KIND_FILE && stat.links < 2))
        return;
    if (stat.kind == OLV_KIND_DIRECTORY)
        unlinkat(r->dir, r->thing, AT_REMOVEDIR);
    else
        removal_unlink(REMOVAL_THING, r->dir, r->thing);
}

void room_settle(int outside, const char *label)
{
    struct room r, plain = {.dir = outside};
    fresh_name(label, plain.thing);
    settle_thing(&plain);
    if (!room_open_again(&r, outside, label))
        return;
    settle_thing(&r);
    close(r.dir);
    unlinkat(outside, r.name, AT_REMOVEDIR);
}
