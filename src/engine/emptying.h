/* SPDX-License-Identifier: Apache-2.0 */
/* Directories from which a run removes something: their times before and after are remembered, where a rule
 * is about directories, so that our own removals do not make them younger. */
#ifndef OLV_ENGINE_EMPTYING_H
#define OLV_ENGINE_EMPTYING_H

#include "olvido/docket.h"

struct olv_run;

struct emptying {
    bool is_on; /* a rule is about directories */
    int fd;     /* the directory, also after it is left; -1: none */
    bool has_lost;
    struct olv_text path, announced; /* of that directory; and of the last one announced */
    struct olv_stat before;
};

void emptying_begin(struct emptying *emptying, const struct olv_policy *policy);
/* Before the first act of a batch: what is about to lose something is noted as it is. */
bool emptying_announce(struct olv_run *run, const struct olv_docket_entry *entry, struct olv_error *err);
/* After a crash, for each entry, whose directory is reached. */
void emptying_settle(struct olv_run *run, const struct olv_docket_entry *entry);
/* Around an act on an entry of the turn's directory: `was_removed`, it is gone from there. */
void emptying_enter(struct olv_run *run, const struct olv_docket_entry *entry);
void emptying_lost(struct olv_run *run, const struct olv_docket_entry *entry);
/* The directory is as this run leaves it for now. */
void emptying_leave(struct olv_run *run);
void emptying_end(struct emptying *emptying);

#endif
