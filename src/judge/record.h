/* SPDX-License-Identifier: Apache-2.0 */
/* A directory under way: what is in it, summed up while it is walked, and the verdict on it as a whole. The
 * caller sees to it that one thread at a time changes a record. */
#ifndef OLV_JUDGE_RECORD_H
#define OLV_JUDGE_RECORD_H

#include "judge/judging.h"
#include "scan/contents.h"

enum { RECORD_CLOCKS = OLV_CLOCK_NAME, RECORD_NOBODY = -1, RECORD_SEVERAL = -2 };

struct record {
    struct olv_stat stat; /* its own */
    struct judged_directory judged;
    struct olv_contents contents;
    struct olv_instant youngest[RECORD_CLOCKS]; /* of what is in it, by each clock */
    int owner;       /* the one rule that owns something in it; RECORD_NOBODY, RECORD_SEVERAL */
    bool is_blocked; /* something in it is kept, held, recovered, or cannot be known */
    bool has_open;   /* something in it is open for writing */
};

/* `stat` NULL: it could not be looked at. NULL without memory; freed with free. */
struct record *record_new(struct judged_directory judged, const struct olv_stat *stat);
/* Something in it that is no directory. */
void record_add(struct record *record, struct olv_verdict verdict, struct judged_entry judged,
                const struct olv_stat *stat);
/* A directory in it, with all that is in that one and the verdict on it. */
void record_join(struct record *above, const struct record *below, struct olv_verdict verdict);

/* The times of the directory as a whole: those of the youngest entry in it, of an empty one its own. */
void record_times(const struct record *record, struct olv_stat *out);
/* The verdict on one that a rule owns. */
struct olv_verdict record_judge(const struct judging *judging, const struct record *record);

#endif
