/* SPDX-License-Identifier: Apache-2.0 */
/* Limits per run: they stop a rule as a whole before its first file, so that a mistake in it is seen. */
#include "olvido/plan.h"

struct olv_tally olv_limited_tally(const struct olv_rule *rule, const struct olv_rule_tally *tally)
{
    struct olv_tally sum = {0};
    for (size_t i = 0; i < rule->step_count; i++) {
        const struct olv_tally *due = &tally->steps[i];
        if (!(rule->steps[i].act->traits & OLV_TAKES_AWAY) || due->files == 0)
            continue;
        if (sum.files == 0 || olv_instant_compare(due->oldest, sum.oldest) < 0)
            sum.oldest = due->oldest;
        sum.files += due->files;
        sum.bytes += due->bytes;
    }
    return sum;
}

enum olv_limit olv_limit_exceeded(const struct olv_limits *limits, struct olv_spent spent,
                                  const struct olv_tally *due, uint64_t owned)
{
    if (due->files == 0)
        return OLV_LIMIT_NONE;
    if (limits->has_files && (spent.files > limits->files || due->files > limits->files - spent.files))
        return OLV_LIMIT_FILES;
    if (limits->has_bytes && (spent.bytes > limits->bytes || due->bytes > limits->bytes - spent.bytes))
        return OLV_LIMIT_BYTES;
    if (limits->has_share && owned >= OLV_SHARE_FROM_FILES &&
        (double)due->files * 1000000.0 > (double)owned * (double)limits->share_millionths)
        return OLV_LIMIT_SHARE;
    return OLV_LIMIT_NONE;
}
