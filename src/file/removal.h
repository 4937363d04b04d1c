/* SPDX-License-Identifier: Apache-2.0 */
/* Everything that settling removes after a crash, in one table: what it is, and why it cannot be the only
 * copy of anything. A test lets settling reach each row, and fails on any other removal. */
#ifndef OLV_FILE_REMOVAL_H
#define OLV_FILE_REMOVAL_H

enum removal {
    REMOVAL_TEMPORARY, /* a new file under its temporary name */
    REMOVAL_NEW_FILE,  /* a new file under its name, whose original stands */
    REMOVAL_REPLACED,  /* what a new file has replaced */
    REMOVAL_HALF,      /* one of the two names of half a move */
    REMOVAL_STAGED,    /* the second name of a file in a private room */
    REMOVAL_THING,     /* what was being made in a private room */
    REMOVAL_BESIDE,    /* an archive outside a depot */
    REMOVAL_MADE,      /* an archive in a depot that was being made */
    REMOVAL_GOING,     /* an archive in a depot that was to go */
    REMOVAL_INFO,      /* an info file in a trash */
    REMOVALS
};

/* Why that cannot be the only copy. */
const char *removal_reason(enum removal what);
/* Unlinks a name; -1 with errno. */
int removal_unlink(enum removal what, int dir, const char *name);
/* For the test: whether this thread is in removal_unlink, and how often it was there for `what`. */
unsigned removal_count(enum removal what);
_Bool removal_is_under_way(void);

#endif
