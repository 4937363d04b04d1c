/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/group.h"

#include "engine/lanes.h"
#include "engine/one_entry.h"
#include "engine/outcomes.h"
#include "olvido/docket.h"
#include "source/asking.h"

/* The most that a group of several entries may hold, because their copies take space. */
#define GROUP_BYTES ((uint64_t)256 << 20)

bool group_takes(const struct several *g, const struct olv_docket_entry *e)
{
    const struct hooks *hooks = hooks_of(e);
    if (g->count == 0)
        return true;
    if (!hooks->takes_several || hooks_of(&g->entries[0]) != hooks ||
        g->count == (hooks->goes_beside ? MOST_BESIDE : LARGEST_GROUP))
        return false;
    if (e->act->order != g->entries[0].act->order)
        return false;
    if (hooks->is_alone && (hooks->is_alone(e) || hooks->is_alone(&g->entries[0])))
        return false;
    return hooks->goes_beside || g->bytes + e->identity.size_bytes <= GROUP_BYTES;
}

void group_add(struct several *g, const struct olv_docket_entry *e)
{
    outcome_begin(&g->outcomes[g->count]);
    g->made[g->count] = NULL;
    g->entries[g->count++] = *e;
    g->bytes += e->identity.size_bytes;
}

/* ---- one entry ---- */

/* Whoever listens may stop the run before the next one. */
static void tell_obstacle(struct carrying *c, const struct olv_docket_entry *e, const struct olv_outcome *o)
{
    const struct olv_observer *observer = c->run->session->options.observer;
    char reason[512];
    bool went = o->result == OLV_DONE;
    if (!observer || !observer->obstacle)
        return;
    c->went += went;
    c->stayed += !went;
    if (went || o->error.code == OLV_INTERRUPTED || o->error.code == OLV_NO_GAIN)
        return;
    outcome_reason(o, reason, sizeof reason);
    observer->obstacle(observer->self, &(struct olv_obstacle_met){.path = run_path_of(c->run, e),
                                                                  .reason = reason,
                                                                  .done = c->went,
                                                                  .undone = c->stayed});
}

static bool do_entry(struct carrying *c, struct olv_docket_entry *e, void *made, struct olv_outcome *o,
                     struct olv_error *err)
{
    struct turn *turn = &c->run->turn;
    bool ok = true;
    turn->sequence++;
    turn->made.here = made;
    turn->made.ahead = ahead_take(c->ahead, e->number);
    if (o->result == OLV_PENDING && one_do(c, turn, e, o))
        ok = !(e->act->traits & OLV_TOUCHES) || one_note_source(c, turn, err);
    tell_obstacle(c, e, o);
    ahead_drop(turn->made.ahead);
    return ok;
}

/* ---- entries with one key ---- */

/* Passes entries from the current one on. */
struct passing {
    struct carrying *carrying;
    const struct hooks *hooks;
    uint32_t from; /* number of the first one, in the first page */
    uint64_t most;
    bool is_first_page, is_over;
    olv_each_entry each;
    void *self;
};

static bool pass(void *self, struct olv_docket_entry *e, struct olv_error *err)
{
    struct passing *p = self;
    struct keyed *k = &p->carrying->keyed;
    struct turn *turn = &p->carrying->run->turn;
    struct olv_error ignored = {0}; /* then it is not what was judged, either */
    if (p->is_over || (p->is_first_page && e->number < p->from))
        return true;
    olv_text_clear(&k->scratch);
    if (hooks_of(e) == p->hooks)
        p->hooks->group_key(e, &k->scratch);
    p->is_over = !olv_text_is_same(&k->key, &k->scratch) || (p->most && k->until - k->first >= p->most);
    if (p->is_over)
        return true;
    k->until++;
    if (e->links > 1 && olv_reach_directory(&turn->directory, e, &ignored))
        own_change_follow(turn, turn->directory.fd, e);
    return p->each(p->self, e, err);
}

static bool pass_each(struct group *group, uint64_t most, olv_each_entry each, void *self,
                      struct olv_error *err)
{
    struct carrying *c = group->engine;
    struct passing p = {.carrying = c,
                        .hooks = hooks_of(&group->entries[0]),
                        .from = group->entries[0].number,
                        .most = most,
                        .is_first_page = true,
                        .each = each,
                        .self = self};
    struct olv_text page = {0};
    uint64_t at = c->page_at;
    bool ok = true;
    while (ok && !p.is_over && olv_spool_read(c->docket, &at, &page, err)) {
        ok = olv_page_each(&page, pass, &p, err);
        p.is_first_page = false;
    }
    olv_text_free(&page);
    return ok && err->code == OLV_OK;
}

/* Whether the last `make` was for this entry, too. */
static bool is_made(const struct keyed *k, const struct hooks *hooks, uint64_t sequence)
{
    return k->hooks == hooks && sequence >= k->first && sequence < k->until;
}

static bool make_keyed(struct carrying *c, const struct hooks *hooks, struct group *group,
                       struct olv_error *err)
{
    struct keyed *k = &c->keyed;
    bool ok;
    if (is_made(k, hooks, group->sequence))
        return true;
    k->is_bound = false;
    k->hooks = hooks;
    k->first = k->until = group->sequence;
    olv_text_clear(&k->key);
    if (carrying_is_interrupted(c))
        return true;
    hooks->group_key(&group->entries[0], &k->key);
    if (k->key.failed)
        return olv_fail_memory(err);
    group->each = pass_each;
    group->engine = c;
    ok = hooks->make_group(&c->run->turn, group, err);
    k->is_bound = group->is_bound;
    return ok;
}

/* ---- a group ---- */

static bool group_make(struct carrying *c, const struct hooks *hooks, struct group *group,
                       struct olv_error *err)
{
    c->keyed.is_bound &= is_made(&c->keyed, hooks, group->sequence);
    if (hooks->group_key)
        return make_keyed(c, hooks, group, err);
    if (!hooks->make_group)
        return true;
    for (size_t i = 0; i < group->count; i++)
        one_is_ready(c, &c->run->turn, &group->entries[i], &group->outcomes[i]);
    return hooks->make_group(&c->run->turn, group, err);
}

/* Times of directories are remembered one directory after the other. */
static bool go_beside(struct carrying *c, const struct hooks *hooks, const struct several *g)
{
    const struct olv_observer *observer = c->run->session->options.observer;
    if (!hooks->goes_beside || c->run->emptying.is_on || (observer && observer->obstacle) || !lanes_help(g))
        return false;
    if (!c->has_tried_lanes)
        c->lanes = lanes_new(c);
    c->has_tried_lanes = true;
    return c->lanes;
}

static bool apply_all(struct carrying *c, const struct hooks *hooks, struct several *g, struct olv_error *err)
{
    bool ok = true;
    if (go_beside(c, hooks, g)) {
        for (size_t i = 0; i < g->count; i++) /* nothing was prepared, and others may follow */
            ahead_drop(ahead_take(c->ahead, g->entries[i].number));
        return lanes_do(c->lanes, g, err);
    }
    for (size_t i = 0; i < g->count; i++)
        ok = do_entry(c, &g->entries[i], g->made[i], &g->outcomes[i], err) && ok;
    return ok;
}

bool group_do(struct carrying *c, struct several *g, struct olv_error *err)
{
    const struct hooks *hooks = g->count ? hooks_of(&g->entries[0]) : NULL;
    struct group group = {.entries = g->entries,
                          .outcomes = g->outcomes,
                          .made = g->made,
                          .count = g->count,
                          .sequence = c->run->turn.sequence + 1,
                          .files_done = c->result->done,
                          .bytes_done = c->result->done_bytes};
    bool ok;
    if (!hooks)
        return true;
    run_take_turn(c->run, &g->entries[0]);
    ok = group_make(c, hooks, &group, err) && apply_all(c, hooks, g, err);
    if (ok && hooks->apply_group)
        hooks->apply_group(&c->run->turn, &group);
    for (size_t i = 0; ok && i < g->count; i++)
        outcomes_add(c, &g->entries[i], &g->outcomes[i]);
    if (hooks->free_group)
        hooks->free_group(&group);
    g->count = 0;
    g->bytes = 0;
    return ok;
}
