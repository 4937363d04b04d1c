/* SPDX-License-Identifier: Apache-2.0 */
/* Reaching names below a directory, whatever an archive says they are: never through a link, never upwards.
 */
#ifndef OLV_ARCHIVE_INSIDE_H
#define OLV_ARCHIVE_INSIDE_H

#include "base/arena.h"
#include "base/inodes.h"
#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/text.h"

struct inside {
    int top;              /* open; borrowed */
    const char *label;    /* of what is made; borrowed; NULL: nothing is made */
    int dir;              /* the directory reached last; -1 */
    struct olv_text path; /* its path below the top */
    struct inodes made;   /* the directories that were made, by device, in the arena */
    struct olv_arena arena;
};

void inside_begin(struct inside *inside, int top, const char *label);
/* Cleans a member's path: no slash in front, no empty parts and no "." Appends it. False with OLV_REFUSED
 * where
 * ".." would lead out. Nothing is left of the name of the top itself. */
bool inside_clean(const char *path, struct olv_text *out, struct olv_error *err);
/* Opens the directory of a clean path, and makes what is missing of it, for ourselves alone. -1 with
 * OLV_REFUSED where a link or a file stands in the way. The descriptor stays ours. */
int inside_reach(struct inside *inside, const char *path, const char **name, struct olv_error *err);
/* Makes one that is not there, for ourselves alone, and remembers it. Open; -1 with `err` (EEXIST: there is
 * one by now). */
int inside_make(struct inside *inside, int dir, const char *name, struct olv_error *err);
/* Whether it is a directory that was made so. */
bool inside_has_made(const struct inside *inside, const struct olv_stat *stat);
void inside_end(struct inside *inside);

#endif
