/* SPDX-License-Identifier: Apache-2.0 */
/* Somewhere to make things, or take them to, that nobody else can touch before they are complete: a private
 * directory (0700, without access lists) inside the one they are for, removed afterwards. If nobody else can
 * put, replace or remove names in that one, it is used itself. */
#ifndef OLV_FILE_ROOM_H
#define OLV_FILE_ROOM_H

#include "file/fresh.h"

struct room {
    int dir;                      /* where things are made; -1: none */
    int outside;                  /* the directory it is for; borrowed */
    char name[FRESH_LABEL + 32];  /* the room's name in there; "": it is that directory itself */
    char thing[FRESH_LABEL + 32]; /* the one free name in it */
};

/* `label` is unique: the run and the number in it. */
bool room_open(struct room *room, int outside, const char *label, struct olv_error *err);
/* The same, but always a directory of its own. */
bool room_open_private(struct room *room, int outside, const char *label, struct olv_error *err);
/* Opens an existing one. False with errno: EPERM if it is not private. */
bool room_open_again(struct room *room, int outside, const char *label);
/* Makes a directory of this name in `outside`, in a room: mode 0700, without access lists, then as `finish`
 * (may be NULL) changes it, before it gets its name. Returns it open; -1 with `err` (EEXIST: the name is
 * taken). */
int room_make_directory(int outside, const char *name, const char *label,
                        bool (*finish)(void *self, int fd, struct olv_error *err), void *self,
                        struct olv_error *err);
/* Removes what is left of `thing`. */
void room_clear(const struct room *room);
/* Closes it and removes the room if it is empty. False with errno if it stays, under its name. */
bool room_close(struct room *room);
/* After a crash: removes what was being made under this label, and its room. What may be the only name of a
 * file stays. */
void room_settle(int outside, const char *label);

#endif
