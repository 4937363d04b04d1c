/* SPDX-License-Identifier: Apache-2.0 */
/* Carries out the entries of a group side by side: a directory's entries in their order on one thread, other
 * directories' on others. Every thread has a turn of its own, so it has its own open directory and its own
 * private room. */
#ifndef OLV_ENGINE_LANES_H
#define OLV_ENGINE_LANES_H

#include "engine/group.h"

struct lanes;

/* NULL on one processor, without memory, or without threads: then nothing goes side by side. */
struct lanes *lanes_new(struct carrying *carrying);
/* Whether the group gains by it: it lies in more than one directory. */
bool lanes_help(const struct several *group);
/* `group->entries` are the first ones without a turn; their outcomes say what became of them. False with
 * `err` if the run cannot go on. */
bool lanes_do(struct lanes *lanes, struct several *group, struct olv_error *err);
void lanes_free(struct lanes *lanes);

#endif
