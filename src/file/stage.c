/* SPDX-License-Identifier: Apache-2.0 */
#include "file/stage.h"

#include "file/identity.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

enum { ROOM_NAME = FRESH_LABEL + 32 };

static void room_name(const char *label, char out[ROOM_NAME])
{
    snprintf(out, ROOM_NAME, ".olvido-%.*s.room", FRESH_LABEL, label);
}

/* Somebody may have put another directory in its place: one that is not ours alone is not used. */
static bool is_private(const struct olv_stat *stat)
{
    return stat->kind == OLV_KIND_DIRECTORY && stat->owner == (uint32_t)geteuid() &&
           (stat->mode & 0777) == 0700;
}

/* -1 with errno; EPERM where it is not private. */
static int open_room(int dir, const char *room_name)
{
    struct olv_stat stat;
    int sys, room = openat(dir, room_name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC);
    if (room < 0)
        return -1;
    sys = !olv_os_stat(room, "", &stat) ? errno : is_private(&stat) ? 0 : EPERM;
    if (sys == 0)
        return room;
    close(room);
    errno = sys;
    return -1;
}

static int make_room(int dir, const char *name, struct olv_error *err)
{
    bool is_made = mkdirat(dir, name, 0700) == 0;
    int room = is_made ? open_room(dir, name) : -1;
    if (room >= 0)
        return room;
    olv_fail_system(err, name,
                    "cannot make a private directory for it, which is needed where others may write");
    if (is_made && err->sys != EPERM)
        unlinkat(dir, name, AT_REMOVEDIR);
    return -1;
}

static bool put_back(int dir, int room, const char *room_name, const char *name, struct olv_error *err)
{
    if (olv_os_rename_new(room, name, dir, name))
        return olv_fail(err, OLV_CHANGED, "another file took its name; it was left where it was");
    return olv_fail(err, OLV_SYSTEM, "another file took its name, twice; the first of them lies in %.100s",
                    room_name);
}

/* In the room: `name` is what was judged, or it goes back. */
static bool remove_staged(int dir, int room, const char *room_name, const char *name,
                          const struct olv_identity *identity, struct olv_error *err)
{
    struct olv_stat stat;
    bool is_seen = olv_os_stat(room, name, &stat);
    int sys;
    if (is_seen && !olv_identity_holds(identity, &stat, false))
        return put_back(dir, room, room_name, name, err);
    if (is_seen && unlinkat(room, name, 0) == 0)
        return true;
    sys = errno;
    if (!olv_os_rename_new(room, name, dir, name))
        return put_back(dir, room, room_name, name, err);
    errno = sys;
    return olv_fail_system(err, name, "cannot remove it");
}

bool stage_remove(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer, struct olv_error *err)
{
    char room_as[ROOM_NAME];
    bool ok = false;
    int room;
    room_name(label, room_as);
    room = make_room(dir, room_as, err);
    if (room < 0)
        return false;
    if (olv_os_rename_new(dir, name, room, name))
        ok = remove_staged(dir, room, room_as, name, identity, err);
    else if (errno == ENOENT)
        olv_fail(err, OLV_CHANGED, "it is gone");
    else
        olv_fail_system(err, name, "cannot take it aside");
    close(room);
    if (unlinkat(dir, room_as, AT_REMOVEDIR) != 0)
        olv_observe_trouble(
            observer, (struct olv_trouble){OLV_TROUBLE_UNREADABLE, room_as,
                                           "cannot remove this directory, which was made beside it", errno});
    return ok;
}

void stage_settle(int dir, const char *name, const char *label, const struct olv_identity *identity)
{
    struct olv_stat stat, there;
    char room_as[ROOM_NAME];
    int room;
    room_name(label, room_as);
    room = open_room(dir, room_as);
    if (room < 0)
        return;
    if (olv_os_stat(room, name, &stat) && olv_identity_survived(identity, &stat) &&
        !olv_os_rename_new(room, name, dir, name) && errno == EEXIST && olv_os_stat(dir, name, &there) &&
        there.device == stat.device && there.inode == stat.inode)
        unlinkat(room, name, 0); /* a move by linking and unlinking that was cut in two */
    close(room);
    unlinkat(dir, room_as, AT_REMOVEDIR);
}
