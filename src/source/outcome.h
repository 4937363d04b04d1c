/* SPDX-License-Identifier: Apache-2.0 */
/* What became of an entry. */
#ifndef OLV_SOURCE_OUTCOME_H
#define OLV_SOURCE_OUTCOME_H

#include "base/digest.h"
#include "olvido/docket.h"
#include "olvido/hold.h"

#include <limits.h>

enum olv_result {
    OLV_PENDING, /* not decided yet; at the end this is a failure */
    OLV_DONE,
    OLV_LEFT,   /* not touched, rightly: it changed, is gone or is guarded */
    OLV_DENIED, /* refused, and not touched: the destination exists */
    OLV_FAILED, /* not done, though it should have been */
    OLV_UNSURE  /* after a crash: nothing tells */
};

struct olv_outcome {
    enum olv_result result;
    const char *placed;    /* where the file is now, if not where the docket says; borrowed; or NULL */
    const char *into;      /* path of the file that now has its contents; borrowed; NULL: none */
    const uint8_t *digest; /* SHA-256 of its contents; borrowed; NULL: not read */
    bool has_packed;       /* whether packed_bytes is known */
    uint64_t packed_bytes; /* current size of the contents */
    double seconds;        /* of work, if measured */
    bool is_noted; /* nobody need remember it for a later step: the file itself says what it has had and was,
                      or no step asks */
    const struct olv_stat *after; /* the file that has it now; borrowed; NULL: the entry's, as judged */
    bool has_remark;              /* done, and `error` says what is to be known of it */
    struct outcome_mark {         /* of an act that changed attributes only: the file right after it */
        bool is_made;
        uint64_t inode;
        bool has_born;
        struct olv_instant born, changed;
    } mark;
    size_t before_len;               /* of `before` */
    char trash[NAME_MAX + 1];        /* the item's name in the trash, or "" */
    uint8_t before[OLV_BEFORE_MOST]; /* what the act notes of the state before */
    struct olv_error error;          /* why, if not done */
};

/* Resets it, without writing all of it. */
void outcome_begin(struct olv_outcome *outcome);

/* The ledger's word for the result of an act. */
const char *outcome_word(const struct olv_act *act, enum olv_result result);
/* Adds what is to be known of an act that is done. */
void outcome_remark(struct olv_outcome *outcome, const char *what);
/* Why, in words; "" if done without anything to say. */
void outcome_reason(const struct olv_outcome *outcome, char *out, size_t size);
/* Sets the result from the error: changed, or interrupted before its turn: left; destination exists: refused;
 * anything else: failed. */
void outcome_failed(struct olv_outcome *outcome);
/* The same for an entry that the run did not reach before it was interrupted. */
void outcome_interrupted(struct olv_outcome *outcome);

#endif
