/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/tally.h"

#include <stdlib.h>

struct olv_rule_tally *tally_rules(const struct olv_policy *policy)
{
    size_t steps = 0;
    struct olv_rule_tally *rules;
    struct olv_tally *next;
    for (size_t i = 0; i < policy->rule_count; i++)
        steps += policy->rules[i].step_count;
    if (policy->rule_count == 0)
        return NULL;
    rules = calloc(1, policy->rule_count * sizeof *rules + steps * sizeof *next);
    if (!rules)
        return NULL;
    next = (struct olv_tally *)(rules + policy->rule_count);
    for (size_t i = 0; i < policy->rule_count; i++) {
        rules[i].steps = next;
        next += policy->rules[i].step_count;
    }
    return rules;
}

static void tally_note_time(struct olv_tally *tally, struct olv_instant modified)
{
    if (olv_tally_is_empty(tally) || olv_instant_compare(modified, tally->oldest) < 0)
        tally->oldest = modified;
}

void tally_count(struct olv_tally *tally, const struct olv_stat *stat)
{
    tally_note_time(tally, stat->modified);
    tally->files++;
    tally->bytes += stat->size_bytes;
}

void tally_count_whole(struct olv_tally *tally, const struct olv_stat *stat,
                       const struct olv_contents *contents)
{
    tally_note_time(tally, stat->modified);
    tally->directories++;
    tally->files += contents ? contents->files : 0;
    tally->bytes += contents ? contents->bytes : 0;
}

void tally_add(struct olv_tally *to, const struct olv_tally *from)
{
    if (!olv_tally_is_empty(from))
        tally_note_time(to, from->oldest);
    to->files += from->files;
    to->bytes += from->bytes;
    to->directories += from->directories;
}

void tally_merge(const struct olv_policy *policy, struct olv_rule_tally *to,
                 const struct olv_rule_tally *from)
{
    for (size_t i = 0; i < policy->rule_count; i++) {
        tally_add(&to[i].owned, &from[i].owned);
        for (int reason = 0; reason < OLV_REASON_COUNT; reason++)
            tally_add(&to[i].by_reason[reason], &from[i].by_reason[reason]);
        for (size_t k = 0; k < policy->rules[i].step_count; k++)
            tally_add(&to[i].steps[k], &from[i].steps[k]);
    }
}
