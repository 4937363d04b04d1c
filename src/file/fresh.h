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
};

/* The name that it has until it is published, where it needs one. */
void fresh_name(const char *label, char out[FRESH_LABEL + 32]);
/* Makes it in the directory. `label` tells it apart: the run and the number within. */
bool fresh_open(struct fresh *fresh, int dir, const char *label, struct olv_error *err);
/* Gives it its name, or what `if_exists` makes of it where that is taken (see olv_place). It stays open. */
bool fresh_publish(struct fresh *fresh, const char *wanted, enum olv_if_exists if_exists,
                   char out[NAME_MAX + 1], struct olv_error *err);
/* Whether exactly this file stands under that name in its directory: looked at on the descriptor. */
bool fresh_stands(const struct fresh *fresh, const char *name);
/* Closes it; what was not published is gone. */
void fresh_close(struct fresh *fresh);
/* Removes what a run that was cut short has left under this label. */
void fresh_clear(int dir, const char *label);

#endif
