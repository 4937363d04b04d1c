/* SPDX-License-Identifier: Apache-2.0 */
#include "file/stage.h"

#include "file/identity.h"
#include "file/removal.h"
#include "file/rename.h"
#include "file/room.h"
#include "os/os.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

bool stage_return(const struct stage *stage, const char *name, struct olv_error *err)
{
    const struct room *room = &stage->room;
    int sys;
    if (olv_os_rename_new(room->dir, name, room->outside, name))
        return true;
    sys = errno;
    olv_fail(err, OLV_SYSTEM,
             sys == EEXIST ? "another file has its name by now, so it lies in %.100s"
                           : "cannot put it back: it lies in %.100s",
             room->name);
    err->sys = sys == EEXIST ? 0 : sys;
    return false;
}

/* It cannot be removed, or not even looked at: it goes back. */
static bool give_up(const struct stage *stage, const char *name, struct olv_error *err)
{
    int sys = errno;
    if (!stage_return(stage, name, err))
        return false;
    errno = sys;
    return olv_fail_system(err, name, "cannot remove it");
}

bool stage_take(const struct stage *stage, const char *name, const struct olv_identity *identity,
                struct olv_error *err)
{
    const struct room *room = &stage->room;
    struct olv_stat stat;
    if (!olv_os_rename_new(room->outside, name, room->dir, name))
        return errno == ENOENT ? olv_fail(err, OLV_CHANGED, "it is gone")
                               : olv_fail_system(err, name, "cannot take it aside");
    if (!olv_os_stat(room->dir, name, &stat))
        return give_up(stage, name, err);
    return olv_identity_holds(identity, &stat, false) ||
           (stage_return(stage, name, err) &&
            olv_fail(err, OLV_CHANGED, "another file took its name; it was left where it was"));
}

bool stage_remove(const struct stage *stage, const char *name, const struct olv_identity *identity,
                  const struct unlinking *how, struct olv_error *err)
{
    struct olv_error why = {0};
    if (!stage_take(stage, name, identity, err))
        return false;
    if (!unlinking_begin(how, stage->room.dir, name, err)) {
        if (!stage_return(stage, name, &why))
            *err = why;
        return false;
    }
    return unlinkat(stage->room.dir, name, 0) == 0 || give_up(stage, name, err);
}

/* ---- the room ---- */

bool stage_is_at(const struct stage *stage, const struct stage_place *place)
{
    return stage->is_open && stage->device == place->device && stage->inode == place->inode;
}

bool stage_enter(struct stage *stage, const struct stage_place *place, const struct olv_observer *observer,
                 struct olv_error *err)
{
    int outside;
    if (stage_is_at(stage, place))
        return true;
    stage_leave(stage, observer);
    outside = fcntl(place->dir, F_DUPFD_CLOEXEC, 0);
    if (outside < 0)
        return olv_fail_system(err, "", "cannot take it aside");
    stage->is_open = room_open_private(&stage->room, outside, place->label, err);
    stage->device = place->device;
    stage->inode = place->inode;
    if (!stage->is_open)
        close(outside);
    return stage->is_open;
}

void stage_leave(struct stage *stage, const struct olv_observer *observer)
{
    if (!stage->is_open)
        return;
    if (!room_close(&stage->room))
        olv_observe_unreadable(observer, stage->room.name, "cannot remove this directory, made beside it",
                               errno);
    close(stage->room.outside);
    stage->is_open = false;
}

/* ---- after a crash ---- */

/* Nothing stays in the room, whoever has its name by now. */
static void put_beside(const struct room *room, const char *name, const struct olv_observer *observer)
{
    char placed[NAME_MAX + 1], what[NAME_MAX + 100];
    struct olv_error err = {0};
    bool ok = rename_to(room->dir, name, room->outside, name, OLV_NUMBER, NULL, placed, &err);
    snprintf(what, sizeof what,
             ok ? "another file has taken its name, so what a run that was cut short had taken aside is now "
                  "called %s"
                : "what a run that was cut short had taken aside cannot be put back: it lies in %s",
             ok ? placed : room->name);
    olv_observe_trouble(observer, (struct olv_trouble){OLV_TROUBLE_FAILED, name, what, ok ? 0 : err.sys});
}

static void tell_of_another(const struct room *room, const char *name, const struct olv_observer *observer)
{
    char what[NAME_MAX + 100];
    snprintf(what, sizeof what,
             "%s has something under this name that the run which was cut short did not mean", room->name);
    olv_observe_trouble(observer, (struct olv_trouble){OLV_TROUBLE_FAILED, name, what, 0});
}

void stage_settle(int dir, const char *name, const char *label, const struct olv_identity *identity,
                  const struct olv_observer *observer)
{
    struct olv_stat stat;
    struct room room;
    bool is_there, is_it;
    if (!room_open_again(&room, dir, label))
        return;
    is_there = olv_os_stat(room.dir, name, &stat);
    is_it = is_there && olv_identity_remains(identity, &stat);
    if (is_there && !is_it)
        tell_of_another(&room, name, observer);
    if (is_it && !olv_os_rename_new(room.dir, name, dir, name)) {
        if (errno == EEXIST && rename_is_half(dir, name, room.dir, name))
            removal_unlink(REMOVAL_STAGED, room.dir, name);
        else
            put_beside(&room, name, observer);
    }
    room_close(&room);
}
