/* SPDX-License-Identifier: Apache-2.0 */
#include "judge/summary.h"

#include <stdlib.h>

struct summary *summary_new(struct judged_directory judged, const struct olv_stat *stat)
{
    struct summary *r = calloc(1, sizeof *r);
    if (!r)
        return NULL;
    r->owner = SUMMARY_NOBODY;
    r->judged = judged;
    r->is_blocked = !stat;
    if (stat)
        r->stat = *stat;
    return r;
}

/* ---- summing up ---- */

static void add_owner(struct summary *r, int owner)
{
    if (r->owner == SUMMARY_NOBODY)
        r->owner = owner;
    else if (owner != SUMMARY_NOBODY && r->owner != owner)
        r->owner = SUMMARY_SEVERAL;
}

static struct olv_instant summary_time_of(const struct olv_stat *stat, int clock)
{
    const struct olv_instant times[SUMMARY_CLOCKS] = {stat->modified, stat->accessed, stat->changed,
                                                      stat->born};
    return times[clock];
}

static void add_time(struct summary *r, int clock, struct olv_instant t)
{
    if (olv_instant_compare(t, r->youngest[clock]) > 0)
        r->youngest[clock] = t;
}

/* Whether a file with this verdict keeps the directories around it. */
static bool blocks(enum olv_reason reason)
{
    return reason == OLV_KEPT || reason == OLV_UNDECIDED || reason == OLV_GONE;
}

void summary_add(struct summary *r, struct olv_verdict v, struct judged_entry judged,
                 const struct olv_stat *stat)
{
    r->is_blocked |= blocks(v.reason) || !stat || judged.is_held || judged.in_respite;
    r->has_open |= judged.is_in_use;
    r->stays_full = true;
    add_owner(r, v.reason == OLV_NOT_OWNED || v.reason == OLV_GONE ? SUMMARY_NOBODY : (int)v.rule);
    if (!stat)
        return;
    olv_contents_add(&r->contents, stat);
    for (int clock = 0; clock < SUMMARY_CLOCKS; clock++)
        add_time(r, clock, summary_time_of(stat, clock));
}

static bool is_swept(const struct judging *judging, const struct summary *r, struct olv_verdict v)
{
    return r->judged.reason == OLV_DUE && v.reason == OLV_DUE &&
           judging->policy->rules[v.rule].steps[v.step].act->traits & OLV_EMPTY_ONLY;
}

void summary_join(const struct judging *judging, struct summary *above, const struct summary *r,
                  struct olv_verdict v)
{
    struct olv_stat times = r->stat;
    summary_times(r, &times);
    olv_contents_add(&above->contents, &r->stat);
    olv_contents_merge(&above->contents, &r->contents);
    for (int clock = 0; clock < SUMMARY_CLOCKS; clock++)
        add_time(above, clock, summary_time_of(&times, clock));
    add_owner(above, r->owner);
    if (r->judged.reason == OLV_DUE)
        add_owner(above, (int)r->judged.rule);
    above->has_open |= r->has_open;
    above->stays_full |= !is_swept(judging, r, v);
    above->is_blocked |= r->is_blocked || r->judged.reason == OLV_UNDECIDED || r->judged.is_held ||
                         r->judged.in_respite || v.reason == OLV_KEPT;
}

/* ---- judging ---- */

/* The directory as a subject whose facts are known already. */
struct whole_subject {
    struct olv_subject subject; /* first member */
    struct olv_stat stat;
    const struct summary *summary;
    const struct judging *judging;
    const struct olv_scan_dir *dir;
};

static const struct olv_stat *look(struct olv_subject *subject)
{
    return subject->stat;
}

static enum olv_truth summary_is_held(struct olv_subject *subject)
{
    return ((struct whole_subject *)subject)->summary->judged.is_held ? OLV_YES : OLV_NO;
}

static bool in_respite(struct olv_subject *subject)
{
    return ((struct whole_subject *)subject)->summary->judged.in_respite;
}

static bool path_of(const void *self, struct olv_text *out)
{
    olv_scan_dir_path(self, out);
    return true;
}

static bool whole_has_had(struct olv_subject *subject, const struct olv_step *step)
{
    const struct whole_subject *s = (struct whole_subject *)subject;
    const struct former_file file = {.reg = s->judging->options->reg,
                                     .asking = s->judging->asking,
                                     .path = path_of,
                                     .self = s->dir,
                                     .stat = &s->summary->stat};
    return former_has_had(NULL, &file, step);
}

static const struct olv_subject_facts whole_facts = {
    .look = look, .is_held = summary_is_held, .in_respite = in_respite, .has_had = whole_has_had};

void summary_times(const struct summary *r, struct olv_stat *out)
{
    if (r->contents.entries == 0) { /* as it was before it was emptied */
        out->modified = r->stat.modified;
        out->changed = r->stat.changed;
        return;
    }
    out->modified = r->youngest[OLV_CLOCK_MODIFIED];
    out->accessed = r->youngest[OLV_CLOCK_ACCESSED];
    out->changed = r->youngest[OLV_CLOCK_CHANGED];
    out->born = r->youngest[OLV_CLOCK_BORN];
}

static bool is_spared_by_contents(const struct summary *r, const struct olv_rule *rule)
{
    return r->is_blocked || (r->has_open && !rule->open_too) || r->owner == SUMMARY_SEVERAL ||
           (r->owner != SUMMARY_NOBODY && r->owner != (int)r->judged.rule);
}

struct olv_verdict summary_judge(const struct judging *judging, const struct summary *r,
                                 const struct olv_scan_dir *dir)
{
    const struct olv_rule *rule = &judging->policy->rules[r->judged.rule];
    struct olv_verdict v = {.reason = OLV_NO_DATE, .rule = r->judged.rule};
    struct whole_subject s = {.stat = r->stat, .summary = r, .judging = judging, .dir = dir};
    struct olv_instant start = r->judged.own_start;
    s.subject = (struct olv_subject){.kind = OLV_KIND_DIRECTORY, .stat = &s.stat, .facts = &whole_facts};
    summary_times(r, &s.stat);
    if (rule->clock == OLV_CLOCK_NAME
            ? !r->judged.has_own_start
            : !olv_decider_start(judging->decider, r->judged.rule, &s.subject, &start, &v.reason))
        return v;
    v = olv_decider_judge(judging->decider, r->judged.rule, &s.subject, start);
    if (v.reason == OLV_DUE && rule->steps[v.step].act->traits & OLV_TOUCHES &&
        (is_spared_by_contents(r, rule) ||
         (rule->steps[v.step].act->traits & OLV_EMPTY_ONLY && r->stays_full)))
        v.reason = OLV_INSIDE;
    return v;
}
