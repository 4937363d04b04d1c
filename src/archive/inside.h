/* SPDX-License-Identifier: Apache-2.0 */
/* Reaches names below a directory, whatever an archive claims: never through a link, never upwards. */
#ifndef OLV_ARCHIVE_INSIDE_H
#define OLV_ARCHIVE_INSIDE_H

#include "base/arena.h"
#include "base/inodes.h"
#include "olvido/entry.h"
#include "olvido/error.h"
#include "olvido/text.h"

struct inside {
    int top;              /* open; borrowed */
    const char *label;    /* for new directories; borrowed; NULL: creates nothing */
    int dir;              /* the last directory reached; -1 */
    struct olv_text path; /* its path below the top */
    struct inodes made;   /* the directories created, by device, in the arena */
    struct olv_arena arena;
};

void inside_begin(struct inside *inside, int top, const char *label);
/* Appends a member's path cleaned: no leading slash, no empty parts, no ".". False with OLV_REFUSED if ".."
 * would lead out. The name of the top itself becomes empty. */
bool inside_clean(const char *path, struct olv_text *out, struct olv_error *err);
/* Opens the directory of a clean path, and creates missing ones with access for us alone. -1 with OLV_REFUSED
 * if a link or a file is in the way. The descriptor belongs to `inside`. */
int inside_reach(struct inside *inside, const char *path, const char **name, struct olv_error *err);
/* Creates a missing one with access for us alone, and remembers it. Returns it open; -1 with `err` (EEXIST:
 * it exists now). */
int inside_make(struct inside *inside, int dir, const char *name, struct olv_error *err);
/* Whether it is a directory created that way. */
bool inside_has_made(const struct inside *inside, const struct olv_stat *stat);
void inside_end(struct inside *inside);

#endif
