/* SPDX-License-Identifier: Apache-2.0 */
/* What a policy would do: one walk over everything its rules are about, counted by rule and step, and (on
 * request) the docket of what is due. Changes nothing. */
#ifndef OLVIDO_PLAN_H
#define OLVIDO_PLAN_H

#include "olvido/depot.h"
#include "olvido/docket.h"
#include "olvido/guard.h"
#include "olvido/hold.h"
#include "olvido/notes.h"
#include "olvido/observer.h"
#include "olvido/policy.h"
#include "olvido/trash.h"
#include "olvido/verdict.h"

struct olv_tally {
    uint64_t files, bytes;     /* with those in directories that go as a whole */
    uint64_t directories;      /* that go as a whole; they are no files */
    struct olv_instant oldest; /* modified; only if it is not empty */
};

/* Whether nothing was counted; an empty directory is something, though no file. */
static inline bool olv_tally_is_empty(const struct olv_tally *tally)
{
    return tally->files == 0 && tally->directories == 0;
}

struct olv_rule_tally {
    struct olv_tally owned;
    struct olv_tally by_reason[OLV_REASON_COUNT]; /* of those, what is not in `steps`; undecided ones count
                                                     files only, and are not owned */
    struct olv_tally *steps;                      /* due for each of the rule's steps (for `keep`: kept) */
};

enum { OLV_PLAN_MOUNTS = 32 };

struct olv_plan {
    struct olv_instant now, as_of;
    struct olv_rule_tally *rules; /* one per rule of the policy */
    uint64_t looked_at;           /* entries other than directories */
    uint64_t not_owned;
    struct olv_tally stored;          /* files in depots */
    uint64_t stored_not_owned;        /* of those */
    uint64_t troubles;                /* places that could not be read */
    struct olv_tally due;             /* of all selected rules */
    struct olv_tally trash;           /* what the policy's `trash` would clear: `files` counts items, */
    uint64_t trash_directories;       /* of which so many are directories, */
    uint64_t trash_files;             /* and in which so many files are */
    enum olv_reason trash_reason;     /* OLV_DUE, or why it waits */
    uint64_t mounts[OLV_PLAN_MOUNTS]; /* the first mounts on which something will be discarded */
    size_t mount_count;
    struct olv_spool *docket; /* what is due; NULL unless requested */
};

struct olv_plan_options {
    struct olv_instant now, as_of;
    const bool
        *selected; /* per rule; NULL: all. Other rules still own their files, but nothing of theirs is due. */
    const struct olv_guard *guard;
    const struct olv_holds *holds;       /* NULL: nothing is held */
    const struct olv_respites *respites; /* NULL: nothing was recovered recently */
    const struct olv_notes *notes;       /* NULL: no note on a file is trusted */
    struct olv_catalogue *catalogue;     /* what lies in depots; NULL: none */
    struct olv_register *reg;            /* which steps files have had; NULL: nothing is known */
    struct olv_trashes *trashes; /* what was discarded; NULL: ignore it. The policy's `trash` counts only
                                    if all rules are selected */
    bool is_unattended;          /* only steps that may run unattended are due */
    /* When unattended, for acts that cannot be taken back: */
    const bool *in_notice; /* per rule, then for the trash: it is too new; NULL: none is */
    bool is_clock_off;
    bool wants_docket;
};

/* False when interrupted, out of memory, or the docket cannot be written. Free the plan in any case. */
bool olv_plan_make(struct olv_plan *plan, const struct olv_policy *policy,
                   const struct olv_plan_options *options, const struct olv_observer *observer,
                   struct olv_error *err);
void olv_plan_free(struct olv_plan *plan);

#endif
