/* SPDX-License-Identifier: Apache-2.0 */
/* Counts what a plan finds: one set of tallies per worker, added up at the end. */
#ifndef OLV_JUDGE_TALLY_H
#define OLV_JUDGE_TALLY_H

#include "olvido/entry.h"
#include "olvido/plan.h"

/* One for each rule of the policy, zeroed; free with free(). NULL without rules or memory. */
struct olv_rule_tally *tally_rules(const struct olv_policy *policy);
void tally_count(struct olv_tally *tally, const struct olv_stat *stat);
/* A directory that goes or stays as a whole; `contents` NULL: what is in it is counted elsewhere. */
void tally_count_whole(struct olv_tally *tally, const struct olv_stat *stat,
                       const struct olv_contents *contents);
void tally_add(struct olv_tally *to, const struct olv_tally *from);
void tally_merge(const struct olv_policy *policy, struct olv_rule_tally *to,
                 const struct olv_rule_tally *from);

#endif
