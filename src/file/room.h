/* SPDX-License-Identifier: Apache-2.0 */
/* Where something is made, or taken to, that nobody else is to touch before it is complete: a private
 * directory (0700, without access lists) within the one that it belongs to, and gone afterwards. In a
 * directory in which nobody else can put, replace or remove names that one itself will do. */
#ifndef OLV_FILE_ROOM_H
#define OLV_FILE_ROOM_H

#include "file/fresh.h"

struct room {
    int dir;                      /* where things are made; -1: there is none */
    int outside;                  /* the directory that it is for; borrowed */
    char name[FRESH_LABEL + 32];  /* of the room in that; "": it is that directory itself */
    char thing[FRESH_LABEL + 32]; /* the one name that is free in it */
};

/* `label` tells it apart: the run and the number within. */
bool room_open(struct room *room, int outside, const char *label, struct olv_error *err);
/* The same, and a directory of its own whatever `outside` is. */
bool room_open_private(struct room *room, int outside, const char *label, struct olv_error *err);
/* Opens one that is there. False with errno: EPERM where it is not private. */
bool room_open_again(struct room *room, int outside, const char *label);
/* A directory with that name in `outside`, made in a room: mode 0700 and without access lists, and as
 * `finish` made it then, which has it open before it gets its name. `finish` may be NULL. Open; -1 with `err`
 * (EEXIST: the name is taken). */
int room_make_directory(int outside, const char *name, const char *label,
                        bool (*finish)(void *self, int fd, struct olv_error *err), void *self,
                        struct olv_error *err);
/* Removes what is left of `thing`. */
void room_clear(const struct room *room);
/* Closes it; the room goes, if it is empty. False with errno where it stays, under its name. */
bool room_close(struct room *room);
/* After a crash: what was being made under this label goes, and its room. What may be the only name of a file
 * stays. */
void room_settle(int outside, const char *label);

#endif
