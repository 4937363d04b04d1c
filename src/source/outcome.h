/* SPDX-License-Identifier: Apache-2.0 */
/* What became of an entry. */
#ifndef OLV_SOURCE_OUTCOME_H
#define OLV_SOURCE_OUTCOME_H

#include "base/digest.h"
#include "olvido/docket.h"

#include <limits.h>

enum olv_result {
    OLV_PENDING, /* nobody has said yet; in the end that is a failure */
    OLV_DONE,
    OLV_LEFT,   /* not touched, and that is right: it changed, it is gone, it is guarded */
    OLV_DENIED, /* refused, and nothing was touched: its place is taken */
    OLV_FAILED, /* not done, though it should have been */
    OLV_UNSURE  /* after a crash: nothing there tells */
};

struct olv_outcome {
    enum olv_result result;
    const char *placed;       /* where the file is now, if not where the docket says; borrowed; or NULL */
    const char *into;         /* the path of the file that has its contents now; borrowed; NULL: none */
    const uint8_t *digest;    /* SHA-256 of its contents; borrowed; NULL: they were not read */
    bool has_packed;          /* whether the next one is known */
    uint64_t packed_bytes;    /* what the contents take now */
    double seconds;           /* of work, where it was measured */
    bool is_lasting;          /* the act would come to nothing, and need not be tried again */
    char trash[NAME_MAX + 1]; /* the item's name in the trash, or "" */
    struct olv_error error;   /* why, where not done */
};

/* Makes it one that tells of nothing, without writing all of it. */
void outcome_begin(struct olv_outcome *outcome);

/* What the ledger calls the result of an act. */
const char *outcome_word(const struct olv_act *act, enum olv_result result);
/* Why it came to this, in words; "" where it was done without anything to say. */
void outcome_reason(const struct olv_outcome *outcome, char *out, size_t size);
/* Sets it to what the error says: what changed, or was not reached before an interrupt, is left alone; a
 * place that is taken is a refusal; everything else failed. */
void outcome_failed(struct olv_outcome *outcome);
/* The same for an entry that the run did not get to before it was interrupted. */
void outcome_interrupted(struct olv_outcome *outcome);

#endif
