/* SPDX-License-Identifier: Apache-2.0 */
/* A directory in progress: sums up its contents during the walk, and judges it as a whole. The caller makes
 * sure that only one thread at a time changes a summary. */
#ifndef OLV_JUDGE_SUMMARY_H
#define OLV_JUDGE_SUMMARY_H

#include "judge/judging.h"
#include "scan/contents.h"

enum { SUMMARY_CLOCKS = OLV_CLOCK_NAME, SUMMARY_NOBODY = -1, SUMMARY_SEVERAL = -2 };

struct summary {
    struct olv_stat stat; /* its own */
    struct judged_directory judged;
    struct olv_contents contents;
    struct olv_instant youngest[SUMMARY_CLOCKS]; /* of its contents, by each clock */
    int owner;       /* the only rule that owns something in it; SUMMARY_NOBODY, SUMMARY_SEVERAL */
    bool is_blocked; /* something in it is kept, held, recovered or unknown */
    bool has_open;   /* something in it is open for writing */
    bool stays_full; /* something in it is not swept */
};

/* `stat` NULL: it could not be looked at. NULL without memory; free with free(). */
struct summary *summary_new(struct judged_directory judged, const struct olv_stat *stat);
/* Adds something in it other than a directory. */
void summary_add(struct summary *summary, struct olv_verdict verdict, struct judged_entry judged,
                 const struct olv_stat *stat);
/* Adds a directory in it, with its contents and its verdict. */
void summary_join(const struct judging *judging, struct summary *above, const struct summary *below,
                  struct olv_verdict verdict);

/* The times of the directory as a whole: those of its youngest entry; of an empty one its own. */
void summary_times(const struct summary *summary, struct olv_stat *out);
/* The verdict on one that a rule owns: on this directory of the walk. */
struct olv_verdict summary_judge(const struct judging *judging, const struct summary *summary,
                                 const struct olv_scan_dir *dir);

#endif
