/* SPDX-License-Identifier: Apache-2.0 */
#include "engine/one_entry.h"

#include "engine/trace.h"
#include "olvido/docket.h"
#include "source/asking.h"

/* Only the run's own thread remembers it; those beside it leave that to the outcomes. */
static bool is_interrupted(struct carrying *c, const struct turn *turn)
{
    return turn == &c->run->turn
               ? carrying_is_interrupted(c)
               : c->result->is_interrupted || olv_observe_interrupted(turn->session->options.observer);
}

bool one_is_ready(struct carrying *c, struct turn *turn, struct olv_docket_entry *e, struct olv_outcome *o)
{
    const struct hooks *hooks = hooks_of(e);
    if (is_interrupted(c, turn) && !c->keyed.is_bound) {
        outcome_interrupted(o);
        return false;
    }
    if (hooks->needs & REACHES_ITSELF)
        return true; /* what was made for all of them tells */
    if (!olv_reach_directory(&turn->directory, e, &o->error) ||
        !run_find_trash(c->run, hooks, e, &o->error)) {
        source_unreached(e, o);
        return false;
    }
    if (hooks->prepare_ahead)
        ahead_know(c->ahead, turn->directory.mount, turn->trash);
    own_change_follow(turn, turn->directory.fd, e);
    return !(e->act->traits & OLV_TOUCHES) || hooks->needs & ASKS_ITSELF ||
           ask_about(turn, &turn->directory, e, false, o);
}

/* Half of it may be done: that it has begun says something of what is left. */
static bool goes_in_parts(const struct olv_docket_entry *e)
{
    return e->act->manner || e->identity.kind == OLV_KIND_DIRECTORY;
}

static void one_apply(struct carrying *c, struct turn *turn, const struct olv_docket_entry *e,
                      struct olv_outcome *o)
{
    const struct hooks *hooks = hooks_of(e);
    int fd;
    if (hooks->needs & NEEDS_NOTE && goes_in_parts(e))
        trace_put(c->trace, c->batch, e->number, OLV_TRACE_BEGUN);
    if (hooks->needs & NEEDS_NOTE && e->act->manner && !trace_sync(c->trace)) {
        olv_fail_system(&o->error, e->name, "cannot note that it is about to be overwritten");
        outcome_failed(o);
        return;
    }
    fd = e->act->traits & OLV_TOUCHES ? own_change_begin(&turn->directory, e) : -1;
    emptying_enter(c->run, e);
    hooks->apply(turn, e, o);
    if (o->result == OLV_DONE)
        emptying_lost(c->run, e);
    own_change_end(turn, fd, o->result == OLV_DONE);
    if (hooks->needs & NEEDS_NOTE)
        trace_put(c->trace, c->batch, e->number, o->result == OLV_DONE ? OLV_TRACE_DONE : OLV_TRACE_NOT_DONE);
}

bool one_do(struct carrying *c, struct turn *turn, struct olv_docket_entry *e, struct olv_outcome *o)
{
    bool is_ready = one_is_ready(c, turn, e, o);
    if (is_ready)
        one_apply(c, turn, e, o);
    return is_ready;
}

bool one_note_source(struct carrying *c, const struct turn *turn, struct olv_error *err)
{
    const struct olv_reach *source = &turn->directory;
    struct olv_stat stat = {.device = source->device, .inode = source->inode};
    return source->fd < 0 || touched_add(&c->touched, source->fd, &stat, err);
}
