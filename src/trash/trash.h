/* SPDX-License-Identifier: Apache-2.0 */
/* What acts do with the trash. */
#ifndef OLV_TRASH_TRASH_H
#define OLV_TRASH_TRASH_H

#include "olvido/text.h"
#include "olvido/trash.h"

#include <limits.h>

struct olv_trash {
    int dir, files, info; /* descriptors */
    struct olv_stat files_stat;
    char files_path[PATH_MAX];
    struct olv_text text;                   /* of the info file under way */
    struct olv_text found_text, found_path; /* of the item found last */
    int64_t date_second;                    /* the second that `date` spells */
    char date[24];
};

/* A name that no other item can have, for when the plain one is taken: run and sequence number make it so. */
struct olv_trash_label {
    const char *run;
    uint64_t sequence;
};

/* Moves `name` from `dir` into the trash: the info file first (exclusively), then a rename that replaces
 * nothing. `path` is where it was. On success the name in the trash is in `out`. On failure nothing has
 * changed. */
bool olv_trash_put(struct olv_trash *trash, int dir, const char *name, const char *path,
                   struct olv_instant when, struct olv_trash_label label, char out[NAME_MAX + 1],
                   struct olv_error *err);
/* Moves an item of the trash to `name` in `dir`, replacing nothing, and takes its info file away. */
bool olv_trash_take(struct olv_trash *trash, const char *item, int dir, const char *name,
                    struct olv_error *err);
/* Makes what was put and taken durable. */
bool olv_trash_sync(struct olv_trash *trash, struct olv_error *err);

/* The two names that olv_trash_put tries, for finding out after a crash which it took. */
void olv_trash_plain_name(char out[NAME_MAX + 1], const char *name);
void olv_trash_unique_name(char out[NAME_MAX + 1], const char *name, struct olv_trash_label label);
/* Writes the info file of an item again if it is missing or torn. */
bool olv_trash_mend_info(struct olv_trash *trash, const char *item, const char *path, struct olv_instant when,
                         struct olv_error *err);

/* Takes away the info file of an item that never arrived, if it is the one that says `path`. */
void olv_trash_drop_info(struct olv_trash *trash, const char *item, const char *path);

/* The info file (Trash specification 1.0, "Contents of a trash directory"). */
void olv_trash_info_write(struct olv_text *out, const char *path, const char *date);
/* False when it is torn. `path` is decoded into it. */
bool olv_trash_info_read(const char *text, size_t len, struct olv_text *path, struct olv_instant *deleted);
/* "2026-10-03T14:05:00" in local time, as the specification asks. */
void olv_trash_date(int64_t s, char out[24]);

#endif
