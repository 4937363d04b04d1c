/* SPDX-License-Identifier: Apache-2.0 */
/* A new file that is nobody's business until it is complete: without a name where the file system allows it,
 * so that nothing is left of it when the program or the machine stops; else under a name by which the next
 * run finds and clears it. */
#ifndef OLV_FILE_FRESH_H
#define OLV_FILE_FRESH_H

#include "olvido/docket.h"

#include <limits.h>

enum { FRESH_LABEL = 48 };

struct fresh {
    int fd;                      /* open for reading and writing, mode 0600; -1: there is none */
    int dir;                     /* borrowed */
    char name[FRESH_LABEL + 32]; /* until it is published; "" while it has none */
    char
        aside[FRESH_LABEL + 32]; /* of the file that it replaced, which is there until fresh_keep; "": none */
    char label[FRESH_LABEL];
};

/* A label that nobody can foresee, for what need not be found again. */
bool fresh_random_label(char label[FRESH_LABEL], struct olv_error *err);
/* The name that it has until it is published, where it needs one. */
void fresh_name(const char *label, char out[FRESH_LABEL + 32]);
/* Makes it in the directory. `label` tells it apart: the run and the number within. */
bool fresh_open(struct fresh *fresh, int dir, const char *label, struct olv_error *err);
/* Gives it its name, or what `if_exists` makes of it where that is taken (see olv_place). It stays open. A
 * file that it replaces is kept aside until fresh_keep or fresh_take_back. */
bool fresh_publish(struct fresh *fresh, const char *wanted, enum olv_if_exists if_exists,
                   char out[NAME_MAX + 1], struct olv_error *err);
/* It is to stay: what it replaced goes. False where that cannot be removed; it is called `aside` then. */
bool fresh_keep(struct fresh *fresh);
/* All is to be as it was: the name goes, or back to what it replaced. False where it does not stand under
 * that name any more, or cannot be taken away. */
bool fresh_take_back(struct fresh *fresh, const char *placed);
/* Whether exactly this file stands under that name in its directory: looked at on the descriptor. */
bool fresh_stands(const struct fresh *fresh, const char *name);
/* Closes it; what was not published is gone. What it replaced goes, too, unless it was taken back. */
void fresh_close(struct fresh *fresh);

/* After a crash, where a file was made under this label. It is known by `is_it`, which is asked of names in
 * the directory; NULL: it never was about to get its name. */
struct fresh_search {
    const char *label, *wanted;
    enum olv_if_exists if_exists;
    bool (*is_it)(const void *self, const struct olv_stat *stat);
    const void *self;
};
/* Removes what has no name of its own yet. OLV_YES where the file has one: it is in `out`. OLV_UNKNOWN where
 * a name cannot be looked at: then all stays. */
enum olv_truth fresh_find(int dir, const struct fresh_search *search, char out[NAME_MAX + 1]);
/* It is to stay, or not: as above, for a file that fresh_find has found. */
void fresh_settle_keep(int dir, const char *label);
bool fresh_settle_back(int dir, const struct fresh_search *search, const char *placed);

#endif
