/* SPDX-License-Identifier: Apache-2.0 */
/* A rule is identified by its name and the digest of what it does, the policy's `trash` by the empty name; a
 * rule that is in no policy any more is deleted after a while. */
#include "state/register_parts.h"

#include <string.h>

enum { FORGOTTEN_AFTER_S = 90 * 86400 };

struct noting {
    const struct olv_register *reg;
    const struct olv_policy *policy;
    struct olv_instant now;
    bool is_doubtful;
    bool *in_notice;
};

/* Since when this rule exists; from now on if it was unknown, or its time is in the future. A doubtful time
 * is not recorded: it could be long ago, and the rule would not count as new when the clock is right. */
static bool note_rule(const struct noting *x, const char *name, const uint8_t digest[OLV_SHA256_SIZE],
                      struct olv_instant *since, struct olv_error *err)
{
    static const char sql[] =
        "INSERT INTO rule VALUES (?1, ?2, ?3, ?3) ON CONFLICT (name, digest) DO UPDATE SET"
        " since = min(since, excluded.since), seen = excluded.seen RETURNING since";
    static const char only_look[] = "SELECT since FROM rule WHERE name = ?1 AND digest = ?2 AND since <= ?3";
    sqlite3_stmt *s = NULL;
    enum olv_truth row = database_find(
        &x->reg->base, &s, x->is_doubtful ? only_look : sql,
        VALUES(value_text(name), value_bytes(digest, OLV_SHA256_SIZE), value_of(x->now.s)), err);
    *since = x->now;
    if (row == OLV_YES) {
        *since = (struct olv_instant){sqlite3_column_int64(s, 0), 0};
        row = database_next(&x->reg->base, s, err);
    }
    sqlite3_finalize(s);
    return row == OLV_NO;
}

static bool is_new(const struct noting *x, struct olv_instant since, struct olv_duration notice)
{
    struct olv_instant until;
    return !olv_zone_add(x->policy->zone, since, notice, &until) || olv_instant_compare(x->now, until) < 0;
}

static bool note_all(const struct noting *x, struct olv_error *err)
{
    const char *keep = x->policy->trash_keep_text ? x->policy->trash_keep_text : "";
    size_t count = x->policy->rule_count;
    uint8_t digest[OLV_SHA256_SIZE];
    struct olv_instant since;
    for (size_t i = 0; i < count; i++) {
        const struct olv_rule *rule = &x->policy->rules[i];
        if (!note_rule(x, rule->name, rule->digest, &since, err))
            return false;
        x->in_notice[i] = is_new(x, since, rule->notice);
    }
    olv_sha256(x->reg->hasher, keep, strlen(keep), digest);
    if (!note_rule(x, "", digest, &since, err))
        return false;
    x->in_notice[count] = is_new(x, since, (struct olv_duration){.seconds = OLV_NOTICE_S});
    return true;
}

bool rules_note(struct olv_register *reg, const struct olv_policy *policy, struct olv_instant now,
                bool is_doubtful, bool *in_notice, struct olv_error *err)
{
    struct noting x = {.reg = reg, .policy = policy, .now = now, .is_doubtful = is_doubtful};
    bool ok;
    x.in_notice = in_notice;
    if (is_doubtful)
        return note_all(&x, err);
    do
        ok = database_begin(&reg->base, err) && note_all(&x, err) &&
             database_do(&reg->base, "DELETE FROM rule WHERE seen < ?1",
                         VALUES(value_of(now.s - FORGOTTEN_AFTER_S)), err);
    while (database_again(&reg->base, &ok, err));
    return ok;
}
