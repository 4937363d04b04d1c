/* SPDX-License-Identifier: Apache-2.0 */
/* A new file that nobody sees until it is complete: without a name if the file system can do that, so that
 * nothing is left when the program or machine stops; otherwise under a name by which the next run finds and
 * clears it. */
#ifndef OLV_FILE_FRESH_H
#define OLV_FILE_FRESH_H

#include "olvido/docket.h"

#include <limits.h>

enum { FRESH_LABEL = 48 };

struct fresh {
    int fd;                       /* open for reading and writing, mode 0600; -1: there is none */
    int dir;                      /* borrowed */
    char name[FRESH_LABEL + 32];  /* its temporary name; "" without one */
    char aside[FRESH_LABEL + 32]; /* of the file it replaced, which exists until fresh_keep; "": none */
    char label[FRESH_LABEL];
};

/* An unpredictable label, for files that need not be found again. */
bool fresh_random_label(char label[FRESH_LABEL], struct olv_error *err);
/* The temporary name of a file with this label. */
void fresh_name(const char *label, char out[FRESH_LABEL + 32]);
/* Creates it in the directory. `label` is unique: the run and the number in it. */
bool fresh_open(struct fresh *fresh, int dir, const char *label, struct olv_error *err);
/* Gives it its name; if that is taken, `if_exists` decides (see rename_to). It stays open. A replaced file is
 * set aside until fresh_keep or fresh_take_back. */
bool fresh_publish(struct fresh *fresh, const char *wanted, enum olv_if_exists if_exists,
                   char out[NAME_MAX + 1], struct olv_error *err);
/* It stays: removes what it replaced. False if that cannot be removed; it is then called `aside`. */
bool fresh_keep(struct fresh *fresh);
/* Undoes publishing: removes the name, or gives it back to what was replaced. False if it no longer has that
 * name, or cannot be removed. */
bool fresh_take_back(struct fresh *fresh, const char *placed);
/* Whether exactly this file has that name in its directory, by its descriptor. OLV_UNKNOWN with errno: that
 * cannot be looked at. */
enum olv_truth fresh_stands(const struct fresh *fresh, const char *name);
/* Closes it; an unpublished file vanishes, and so does what it replaced, unless taken back. */
void fresh_close(struct fresh *fresh);

/* After a crash: looks for a file made under this label. `is_it` recognises it among names in the directory;
 * NULL: it was never about to get its name. */
struct fresh_search {
    const char *label, *wanted;
    enum olv_if_exists if_exists;
    bool (*is_it)(const void *self, const struct olv_stat *stat);
    const void *self;
};
/* Removes what has no name of its own yet. OLV_YES if the file has one: see `out`. OLV_UNKNOWN if a name
 * cannot be looked at: then everything stays. */
enum olv_truth fresh_find(int dir, const struct fresh_search *search, char out[NAME_MAX + 1]);
/* Keep it, or take it back: as above, for a file found by fresh_find. */
void fresh_settle_keep(int dir, const char *label);
bool fresh_settle_back(int dir, const struct fresh_search *search, const char *placed);

#endif
